import type { PartResult } from '../../api/client';

export type OnRuler = NonNullable<PartResult<'ethercat.ruler'>>['nodes'][number];

/** How wide a station and a module are drawn, px. */
const WIDE = 108;
const NARROW = 34;

/** Everybody along the ruler, with where each begins; the last place is its end. */
export function places(nodes: readonly OnRuler[]): number[] {
  const at = [0];
  for (const node of nodes) at.push(at[at.length - 1]! + (node.module ? NARROW : WIDE));
  return at;
}

/** The slivers of which something lies between two places, as first and behind the last. */
export function within(at: readonly number[], from: number, to: number): [number, number] {
  return [Math.max(0, lowest(at, from) - 1), Math.min(at.length - 1, lowest(at, to))];
}

/** The first place that is at least so far. */
function lowest(at: readonly number[], place: number): number {
  let low = 0;
  let high = at.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (at[middle]! < place) low = middle + 1;
    else high = middle;
  }
  return low;
}
