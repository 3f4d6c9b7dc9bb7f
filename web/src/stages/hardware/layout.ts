import type { PartResult } from '../../api/client';

export type Seat = PartResult<'rail.mounting'>['seats'][number];
export type Box = { x: number; width: number; wide: boolean };

const HEAD = 92;
const LEAST = 30;
const MOST = 66;
const OPENED = 236;
const GAP = 2;

/** Where each seat stands: the head first, the opened module wide, the rest sharing what is left. */
export function boxes(
  seats: Seat[],
  opened: number,
  width: number,
): { head: Box; seats: Box[]; total: number } {
  const isOpen = (n: number) => n === opened && seats[n]?.module != null;
  const openCount = seats.some((_, n) => isOpen(n)) ? 1 : 0;
  const share =
    (width - HEAD - openCount * OPENED - GAP * seats.length) /
    Math.max(seats.length - openCount, 1);
  const each = Math.max(LEAST, Math.min(MOST, Math.floor(share)));
  let x = HEAD + GAP;
  const placed = seats.map((_, n) => {
    const wide = isOpen(n);
    const own = wide ? OPENED : each;
    const box = { x, width: own, wide };
    x += own + GAP;
    return box;
  });
  return { head: { x: 0, width: HEAD, wide: false }, seats: placed, total: Math.max(x, 0) };
}

/** The seat under x, and whether x lies left of its middle. */
export function seatAt(placed: Box[], x: number): number {
  const at = placed.findIndex((box) => x < box.x + box.width);
  return at < 0 ? placed.length : at;
}

/** The gap nearest to x: 0 before the first seat. */
export function gapAt(placed: Box[], x: number): number {
  const at = placed.findIndex((box) => x < box.x + box.width / 2);
  return at < 0 ? placed.length : at;
}
