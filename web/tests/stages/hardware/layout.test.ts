import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { boxes, gapAt, seatAt, type Seat } from '../../../src/stages/hardware/layout';

const rails = fc.record({
  seats: fc.array(
    fc.record({
      module: fc.option(fc.constantFrom('m1', 'm2')),
      width_mm: fc.constantFrom<number>(12, 24, 48),
    }),
    { maxLength: 30 },
  ),
  opened: fc.integer({ min: -1, max: 30 }),
  width: fc.integer({ min: 300, max: 1800 }),
});
type Rail = typeof rails extends fc.Arbitrary<infer T> ? T : never;
const laid = (rail: Rail) => boxes(rail.seats as unknown as Seat[], rail.opened, rail.width);

describe('a rail as drawn', () => {
  it('has its seats side by side behind the head, wide enough to be met, one opened at most', () => {
    fc.assert(
      fc.property(rails, (rail) => {
        const { head, seats, total } = laid(rail);
        let x = head.x + head.width;
        for (const box of seats) {
          expect(box.x).toBe(x + 2);
          expect(box.width).toBeGreaterThanOrEqual(26);
          x = box.x + box.width;
        }
        expect(total).toBe(x + 2);
        const open = rail.seats[rail.opened]?.module ? [rail.opened] : [];
        expect(seats.flatMap((box, n) => (box.wide ? [n] : []))).toEqual(open);
        for (const n of open) expect(seats[n]!.width).toBeGreaterThanOrEqual(236);
      }),
    );
  });

  it('fills no more than the room there is, unless modules would become too narrow', () => {
    fc.assert(
      fc.property(rails, (rail) => {
        const { seats, total } = laid(rail);
        const least = seats.some((box) => !box.wide && box.width === 26);
        if (!least && !seats.some((box) => box.wide))
          expect(total).toBeLessThanOrEqual(rail.width + 2);
      }),
    );
  });

  it('is to one scale', () => {
    const { seats } = laid({
      seats: [12, 24, 48].map((width_mm) => ({ module: 'm1' as const, width_mm })),
      opened: -1,
      width: 900,
    });
    expect(seats.map((box) => box.width)).toEqual([33, 66, 132]);
  });

  it('tells the seat under the pointer and the gap nearest to it', () => {
    fc.assert(
      fc.property(rails, fc.nat(2000), (rail, x) => {
        const { seats } = laid(rail);
        const seat = seatAt(seats, x);
        if (seat < seats.length) expect(x < seats[seat]!.x + seats[seat]!.width).toBe(true);
        if (seat > 0) expect(x >= seats[seat - 1]!.x + seats[seat - 1]!.width).toBe(true);
        const gap = gapAt(seats, x);
        expect(gap === seat || gap === seat + 1).toBe(true);
      }),
    );
  });
});
