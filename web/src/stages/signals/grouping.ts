/** By what the rows of the grid can be put together. */
export const GROUPINGS = [
  ['', 'not grouped'],
  ['controller', 'by controller'],
  ['station', 'by station'],
  ['area', 'by area'],
  ['variable', 'by structure'],
] as const;
export type Grouping = (typeof GROUPINGS)[number][0];

/** A group's heading: before which of the rows it stands, how many it has, and whether they are folded away. */
export type Head = { name: string; before: number; count: number; folded: boolean };

/**
 * Rows put together by a name, groups in the order of their first row and those without a name last; a folded group
 * keeps its heading alone.
 */
export function grouped<T>(
  rows: T[],
  nameOf: (row: T) => string,
  folded: ReadonlySet<string>,
): { rows: T[]; heads: Head[] } {
  const groups = new Map<string, T[]>();
  for (const row of rows) {
    const name = nameOf(row);
    const own = groups.get(name);
    if (own) own.push(row);
    else groups.set(name, [row]);
  }
  const nameless = groups.get('');
  if (nameless) {
    groups.delete('');
    groups.set('', nameless);
  }
  const shown: T[] = [];
  const heads: Head[] = [];
  for (const [name, own] of groups) {
    heads.push({ name, before: shown.length, count: own.length, folded: folded.has(name) });
    if (!folded.has(name)) for (const row of own) shown.push(row);
  }
  return { rows: shown, heads };
}

/** What is drawn one below the other: a heading, or the row of this number. */
export type Drawn = Head | number;

/** Headings and rows in one, with where each row is drawn. */
export function drawn(count: number, heads: Head[]): { lines: Drawn[]; lineOf: number[] } {
  const lines: Drawn[] = [];
  const lineOf: number[] = [];
  let next = 0;
  for (let n = 0; n <= count; n++) {
    while (next < heads.length && heads[next]!.before === n) lines.push(heads[next++]!);
    if (n === count) break;
    lineOf.push(lines.length);
    lines.push(n);
  }
  return { lines, lineOf };
}

/** The variable that a signal is an element of: its name up to the first member or index, "" for one by itself. */
export function variableOf(name: string): string {
  const at = name.search(/[.[]/);
  return at < 0 ? '' : name.slice(0, at);
}
