import type { PartResult } from '../../api/client';

export type Seat = PartResult<'rail.mounting'>['seats'][number];
export type Box = { x: number; width: number; wide: boolean };

const HEAD = 92;
const LEAST = 26;
const MOST = 66;
const OPENED = 236;
const OPENED_MOST = 330;
const GAP = 2;
const USUAL_MM = 24;

/** Where each seat stands: the head first, the opened module wide, the rest sharing what is left. */
export function boxes(
  seats: Seat[],
  opened: number,
  width: number,
): { head: Box; seats: Box[]; total: number } {
  const isOpen = (n: number) => n === opened && seats[n]?.module != null;
  const openCount = seats.some((_, n) => isOpen(n)) ? 1 : 0;
  const closed = seats.filter((_, n) => !isOpen(n)).reduce((sum, seat) => sum + seat.width_mm, 0);
  const free = width - HEAD - openCount * OPENED - GAP * seats.length;
  // Widths are to one scale, in px a mm; a narrow module stays wide enough for its pips.
  const scale = Math.min(MOST / USUAL_MM, free / Math.max(closed, USUAL_MM));
  // On a short rail the opened module takes of what is left, so that long names stand in full.
  const grown = Math.min(OPENED_MOST, Math.max(OPENED, OPENED + free - closed * scale));
  let x = HEAD + GAP;
  const placed = seats.map((seat, n) => {
    const wide = isOpen(n);
    const own = wide ? grown : Math.max(LEAST, Math.floor(seat.width_mm * scale));
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
