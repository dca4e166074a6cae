import type { Flow, ListPart, Loop } from './tree.js';

type List = Extract<Flow, { kind: 'list' }>;

/**
 * Adds what stands next in a block to what stands before it. Directive lines cut prose into runs, and a list goes on over them: what is
 * indented as an item's text belongs to that item, and items before, in and after an `if` or `each` are one list with one numbering.
 * @param make parses it after removing `column` columns of indentation
 */
export function joinLists(before: readonly Flow[], indent: number, make: (column: number) => readonly Flow[]): Flow[] {
  const inside = intoLastItem(before, indent, make);
  if (inside !== undefined) return inside;
  const made = make(0);
  const [first, ...rest] = made;
  const last = before[before.length - 1];
  const lists = first === undefined || last === undefined ? [] : [asList(last), asList(first)];
  const [a, b] = lists;
  if (a === undefined || b === undefined || a.ordered !== b.ordered) return [...before, ...made];
  return [...before.slice(0, -1), { ...a, tight: a.tight && b.tight, items: [...a.items, ...b.items] }, ...rest];
}

function intoLastItem(flows: readonly Flow[], indent: number, make: (column: number) => readonly Flow[]): Flow[] | undefined {
  const last = flows[flows.length - 1];
  const item = last?.kind === 'list' ? last.items[last.items.length - 1] : undefined;
  if (last?.kind !== 'list' || item?.kind !== 'item' || indent < item.column) return undefined;
  const { column } = item;
  const children = joinLists(item.children, indent, (deeper) => make(Math.max(column, deeper)));
  // Only lists stand close under an item's text; anything else sets the items apart.
  const tight = last.tight && children.every((child, i) => i === 0 || child.kind === 'list');
  return [...flows.slice(0, -1), { ...last, tight, items: [...last.items.slice(0, -1), { ...item, children }] }];
}

/** A list, or a branch or loop that holds nothing but lists of one kind, as a list. */
function asList(flow: Flow): List | undefined {
  if (flow.kind === 'list') return flow;
  if (flow.kind === 'each') {
    const body = onlyList(flow.body);
    const otherwise = onlyList(flow.otherwise);
    if (body === undefined || otherwise === undefined || (flow.otherwise.length > 0 && otherwise.ordered !== body.ordered))
      return undefined;
    return { ...body, items: [{ ...flow, body: body.items, between: [], otherwise: otherwise.items }] };
  }
  if (flow.kind === 'let') {
    const body = onlyList(flow.body);
    return body === undefined || body.items.length === 0 ? undefined : { ...body, items: [{ ...flow, body: body.items }] };
  }
  if (flow.kind === 'if') {
    const bodies = flow.branches.map((branch) => onlyList(branch.body));
    const [first] = bodies.filter((body) => body !== undefined && body.items.length > 0);
    if (first === undefined || bodies.some((body) => body === undefined || (body.items.length > 0 && body.ordered !== first.ordered)))
      return undefined;
    const branches = flow.branches.map((branch, i) => ({ ...branch, body: bodies[i]?.items ?? [] }));
    return { ...first, tight: bodies.every((body) => body?.tight ?? true), items: [{ ...flow, branches }] };
  }
  return undefined;
}

/** The one list of a body; an empty body counts as an empty list. */
function onlyList(flows: readonly Flow[]): List | undefined {
  const [only, ...more] = flows;
  if (only === undefined) return { kind: 'list', ordered: false, start: 1, tight: true, items: [], place: NOWHERE };
  return more.length === 0 ? asList(only) : undefined;
}

const NOWHERE = { file: '', line: 1, column: 1, offset: 0, length: 0 };

/** A loop around list items makes one list, not a list a turn. What stands for an empty list need not be a list itself. */
export function oneList(flows: readonly Flow[]): Flow[] {
  const [loop] = flows;
  if (loop?.kind !== 'each') return [...flows];
  const whole = asList(loop);
  if (whole !== undefined) return [whole];
  const body = onlyList(loop.body);
  if (body === undefined || body.items.length === 0) return [...flows];
  const inner: Loop<ListPart> = { ...loop, body: body.items, between: [], otherwise: [] };
  const { place, list } = loop;
  return [
    {
      kind: 'if',
      place,
      branches: [
        { test: list, body: [{ ...body, items: [inner] }], place },
        { test: undefined, body: loop.otherwise, place },
      ],
    },
  ];
}
