import { useEffect, useRef, useState } from 'react';
import styled from 'styled-components';
import { color } from '../style.js';

const Place = styled.div<{ readonly $height: string }>`
  position: relative;
  height: ${({ $height }) => $height};
  background: #fff;
  border: 1px solid ${color.hair};
  border-radius: 6px;
  overflow: hidden;
  iframe {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    border: 0;
    background: #fff;
  }
  iframe[data-coming] {
    visibility: hidden;
  }
`;

/** A frame that never flickers: the next page is loaded behind the one that is shown, and keeps its place. */
export function SteadyFrame({
  src,
  title,
  height,
  onShown,
}: {
  readonly src: string;
  readonly title: string;
  readonly height: string;
  readonly onShown?: () => void;
}) {
  const [shown, setShown] = useState<string>();
  const frames = useRef(new Map<string, HTMLIFrameElement>());
  const list = [...new Set([shown, src])].filter((value) => value !== undefined);
  const take = (): void => {
    const [before, after] = [shown === undefined ? undefined : frames.current.get(shown), frames.current.get(src)];
    const top = before?.contentDocument?.scrollingElement?.scrollTop;
    const element = after?.contentDocument?.scrollingElement;
    if (top !== undefined && element !== null && element !== undefined) element.scrollTop = top;
    setShown(src);
    onShown?.();
  };
  useEffect(() => {
    for (const key of [...frames.current.keys()]) if (key !== shown && key !== src) frames.current.delete(key);
  }, [shown, src]);
  return (
    <Place $height={height}>
      {list.map((text) => (
        <iframe
          key={text}
          ref={(element) => {
            if (element === null) frames.current.delete(text);
            else frames.current.set(text, element);
          }}
          title={text === src ? title : `${title} (before)`}
          sandbox="allow-same-origin"
          referrerPolicy="no-referrer"
          src={text}
          data-coming={text === src && text !== shown ? '' : undefined}
          aria-hidden={text === src ? undefined : true}
          tabIndex={text === src ? 0 : -1}
          onLoad={text === src && text !== shown ? take : undefined}
        />
      ))}
    </Place>
  );
}
