import type { FiguresView, State } from '@verbalis/client';
import { max } from 'd3-array';
import { scaleBand, scaleLinear } from 'd3-scale';
import { stack } from 'd3-shape';
import { useLayoutEffect, useRef, useState, type RefObject } from 'react';
import { Label, Slider, SliderOutput, SliderThumb, SliderTrack } from 'react-aria-components';
import styled from 'styled-components';
import { color, font } from '../style.js';
import { STATES } from '../words.js';

type Series = FiguresView['series'];

/** From what went well at the bottom to what did not on top. */
const ORDER: readonly State[] = ['delivered', 'accepted', 'queued', 'delayed', 'withheld', 'expired', 'canceled', 'complained', 'failed'];
/** Fills that differ in brightness too, so that they are distinguished without colours. */
const FILL: Readonly<Partial<Record<State, string>>> = {
  delivered: 'color-mix(in srgb, var(--good) 82%, var(--paper))',
  accepted: 'color-mix(in srgb, var(--good) 34%, var(--paper))',
  queued: 'color-mix(in srgb, var(--mark) 40%, var(--paper))',
  delayed: 'color-mix(in srgb, var(--wait) 62%, var(--paper))',
  complained: 'var(--text)',
  failed: 'var(--bad)',
};
const OTHER = 'color-mix(in srgb, var(--soft) 46%, var(--paper))';

function fillOf(state: State): string {
  return FILL[state] ?? OTHER;
}

const day = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' });
const hour = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit', timeZone: 'UTC' });

/** A time of a series, as its grain is read. */
export function timeWords(at: string, grain: FiguresView['grain']): string {
  return (grain === 'day' ? day : hour).format(new Date(at));
}

const Drawing = styled.svg`
  display: block;
  width: 100%;
  height: auto;
  text {
    font: 12px ${font.sans};
    fill: ${color.soft};
  }
  line {
    stroke: ${color.hair};
  }
`;

const Legend = styled.ul`
  list-style: none;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  padding: 0;
  margin: 4px 0 0;
  font-size: 14px;
  color: ${color.soft};
  i {
    display: inline-block;
    width: 12px;
    height: 12px;
    border-radius: 2px;
    margin-right: 6px;
    vertical-align: -1px;
  }
`;

/** Before it is known how much room there is. */
const USUAL_WIDTH = 960;
const LEFT = 44;
/** A word below the axis takes so much room. */
const TICK = 104;

/** How wide an element is, in pixels: what is drawn in them stays legible on a phone. */
function useWidth(): readonly [RefObject<HTMLElement | null>, number] {
  const ref = useRef<HTMLElement>(null);
  const [width, setWidth] = useState(USUAL_WIDTH);
  useLayoutEffect(() => {
    const element = ref.current;
    if (element === null) return;
    const measure = (): void => setWidth(Math.max(LEFT * 3, Math.round(element.clientWidth)));
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [ref, width];
}

/** How many over time, and the outcome: a bar for each hour or day. */
export function StateBars({
  series,
  grain,
  height = 220,
  title,
  chosen,
}: {
  readonly series: Series;
  readonly grain: FiguresView['grain'];
  readonly height?: number;
  readonly title: string;
  /** Bars outside of this span are dimmed: from one to another, both counted. */
  readonly chosen?: readonly [number, number] | undefined;
}) {
  const [ref, width] = useWidth();
  const bottom = height - 22;
  const shown = ORDER.filter((state) => series.some((sery) => (sery.states[state] ?? 0) > 0));
  const layers = stack<Series[number], State>()
    .keys(shown)
    .value(({ states }, state) => states[state] ?? 0)([...series]);
  const most = max(layers.at(-1) ?? [], (point) => point[1]) ?? 0;
  const x = scaleBand<number>()
    .domain(series.map((_, i) => i))
    .range([LEFT, width])
    .paddingInner(0.16);
  const y = scaleLinear()
    .domain([0, Math.max(1, most)])
    .nice(4)
    .range([bottom, 8]);
  const every = Math.max(1, Math.ceil(series.length / Math.max(2, Math.floor((width - LEFT) / TICK))));
  return (
    <figure ref={ref} style={{ margin: 0 }}>
      <Drawing viewBox={`0 0 ${width} ${height}`} role="img" aria-label={title}>
        {y.ticks(4).map((tick) => (
          <g key={tick}>
            <line x1={LEFT} x2={width} y1={y(tick)} y2={y(tick)} />
            <text x={LEFT - 8} y={y(tick) + 4} textAnchor="end">
              {tick}
            </text>
          </g>
        ))}
        {layers.map((layer) => (
          <g key={layer.key} fill={fillOf(layer.key)}>
            {layer.map(([from, to], i) =>
              to > from ? (
                <rect
                  key={i}
                  x={x(i)}
                  width={x.bandwidth()}
                  y={y(to)}
                  height={Math.max(0.5, y(from) - y(to))}
                  opacity={chosen !== undefined && (i < chosen[0] || i > chosen[1]) ? 0.25 : 1}
                />
              ) : null,
            )}
          </g>
        ))}
        {series.map((sery, i) =>
          i % every === 0 ? (
            <text key={sery.at} x={(x(i) ?? 0) + x.bandwidth() / 2} y={height - 6} textAnchor={i === 0 ? 'start' : 'middle'}>
              {timeWords(sery.at, grain)}
            </text>
          ) : null,
        )}
      </Drawing>
      <Legend aria-label="What the colours mean">
        {shown.map((state) => (
          <li key={state}>
            <i aria-hidden="true" style={{ background: fillOf(state) }} />
            {STATES[state].sign} {state}
          </li>
        ))}
      </Legend>
    </figure>
  );
}

const Brush = styled(Slider)`
  display: grid;
  grid-template-columns: 1fr auto;
  margin-top: 8px;
  label,
  output {
    font-size: 14px;
    color: ${color.soft};
  }
  .track {
    grid-column: 1 / -1;
    position: relative;
    height: 28px;
    margin: 0 12px 0 ${LEFT + 12}px;
  }
  .track::before {
    content: '';
    position: absolute;
    inset: 12px 0;
    background: ${color.hair};
    border-radius: 2px;
  }
  .thumb {
    width: 14px;
    height: 24px;
    top: 50%;
    border-radius: 4px;
    border: 2px solid ${color.paper};
    background: ${color.accent};
    cursor: ew-resize;
  }
  .thumb[data-focus-visible] {
    outline: 2px solid ${color.accent};
    outline-offset: 2px;
  }
`;

/** The same with two handles that choose a span of it: by pointer, or by the arrow keys. */
export function Ribbon({
  series,
  grain,
  title,
  chosen,
  onChoose,
}: {
  readonly series: Series;
  readonly grain: FiguresView['grain'];
  readonly title: string;
  readonly chosen: readonly [number, number];
  readonly onChoose: (span: readonly [number, number]) => void;
}) {
  const last = series.length - 1;
  const words = (i: number): string => timeWords(series[i]?.at ?? new Date(0).toISOString(), grain);
  return (
    <section aria-label={title}>
      <StateBars series={series} grain={grain} title={title} height={150} chosen={chosen} />
      <Brush
        minValue={0}
        maxValue={last}
        value={[...chosen]}
        onChange={(value: number | number[]) => {
          const [from = 0, to = last] = Array.isArray(value) ? value : [value];
          onChoose([from, to]);
        }}
      >
        <Label>Period</Label>
        <SliderOutput>{() => `${words(chosen[0])} to ${words(chosen[1])}`}</SliderOutput>
        <SliderTrack className="track">
          <SliderThumb className="thumb" index={0} aria-label="From" />
          <SliderThumb className="thumb" index={1} aria-label="To" />
        </SliderTrack>
      </Brush>
    </section>
  );
}
