import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  Drawing,
  LEFT,
  placed,
  type CombNode,
  type Placed,
} from '../../../src/stages/networks/comb';

/** Any tree of switches and devices: each node's cable comes from one before it, or from the port. */
const trees = fc
  .array(fc.record({ from: fc.nat(), switch: fc.boolean() }), { minLength: 1, maxLength: 24 })
  .map((list) =>
    list.map(({ from, switch: isSwitch }, n) => {
      const upper = from % (n + 1);
      return { station: `s${n}`, upstream: upper === n ? '' : `s${upper}`, switch: isSwitch };
    }),
  )
  .map((list) => inRouteOrder(list) as unknown as CombNode[]);

type Bare = { station: string; upstream: string; switch: boolean };

/** As the server tells them: each followed by what hangs on it. */
function inRouteOrder(list: Bare[], upstream = ''): Bare[] {
  return list
    .filter((n) => n.upstream === upstream)
    .flatMap((n) => [n, ...inRouteOrder(list, n.station)]);
}

const byId = (all: Placed[]) => new Map(all.map((p) => [p.node.station, p]));

describe('where stations stand', () => {
  it('is a place of their own, with all of a branch within the columns it takes', () => {
    fc.assert(
      fc.property(trees, (nodes) => {
        const all = placed(nodes, true);
        expect(all).toHaveLength(nodes.length);
        const taken = new Set<string>();
        for (const p of all.filter((one) => !one.node.switch)) {
          const cell = `${p.column}/${p.row}`;
          expect(taken.has(cell)).toBe(false);
          taken.add(cell);
        }
        const at = byId(all);
        for (const p of all) {
          const upper = at.get(p.node.upstream);
          if (!upper) continue;
          expect(p.column).toBeGreaterThanOrEqual(upper.column);
          expect(p.column + p.width).toBeLessThanOrEqual(upper.column + upper.width);
          if (!upper.node.switch)
            expect([p.row, p.column > upper.column]).toEqual([upper.row, true]);
          else expect(p.row).toBe(p.onward ? upper.row : upper.row + 1);
        }
      }),
    );
  });

  it('is under the bar of the switch they are plugged into, and bars do not meet', () => {
    fc.assert(
      fc.property(trees, (nodes) => {
        const all = placed(nodes, true);
        const at = byId(all);
        for (const p of all) {
          const upper = at.get(p.node.upstream);
          if (upper?.node.switch && !p.onward)
            expect(p.column < upper.column + upper.bar).toBe(true);
        }
        const bars = all.filter((p) => p.node.switch);
        for (const one of bars)
          for (const other of bars.filter((p) => p !== one && p.row === one.row))
            expect(
              one.column + one.bar <= other.column || other.column + other.bar <= one.column,
            ).toBe(true);
      }),
    );
  });

  it('is one row below the spine where nobody has said how cables run', () => {
    const nodes = [0, 1, 2].map((n) => ({ station: `s${n}`, upstream: '', switch: false }));
    expect(placed(nodes as unknown as CombNode[], false).map((p) => [p.column, p.row])).toEqual([
      [0, 1],
      [1, 1],
      [2, 1],
    ]);
  });
});

describe('the comb in pixels', () => {
  it('draws all of which something lies in view', () => {
    fc.assert(
      fc.property(trees, fc.nat(1200), fc.integer({ min: 100, max: 900 }), (nodes, left, room) => {
        const drawing = new Drawing(placed(nodes, true), room);
        const seen = new Set(drawing.within(left, left + room));
        for (const p of drawing.nodes) {
          const x = drawing.x(p);
          if (x >= left && x <= left + room) expect(seen.has(p)).toBe(true);
          expect(x > LEFT && x < drawing.width).toBe(true);
          expect(drawing.barEnd(p)).toBeGreaterThan(drawing.barStart(p));
          expect(drawing.y(p)).toBeLessThan(drawing.height);
        }
      }),
    );
  });

  it('leads each cable from what it hangs on to itself', () => {
    fc.assert(
      fc.property(trees, (nodes) => {
        const drawing = new Drawing(placed(nodes, true), 900);
        for (const p of drawing.nodes) {
          const [begin, end] = ends(drawing.cable(p));
          const upper = drawing.at.get(p.node.upstream);
          const own = p.node.switch ? [drawing.barStart(p), drawing.x(p)] : [drawing.x(p)];
          expect(own.some((x) => Math.abs(x - end.x) < 1e-6)).toBe(true);
          expect(end.y).toBe(drawing.y(p));
          if (!upper) expect(begin).toEqual({ x: LEFT - 30, y: 32 });
          else expect(begin.y).toBe(drawing.y(upper));
        }
      }),
    );
  });
});

/** Where a path of straight lines begins and ends. */
type At = { x: number; y: number };
function ends(path: string): [At, At] {
  const first = /^M([\d.-]+) ([\d.-]+)/.exec(path)!;
  const at = { x: Number(first[1]), y: Number(first[2]) };
  const begin = { ...at };
  for (const [, letter, value] of path.matchAll(/([HV])([\d.-]+)/g))
    at[letter === 'H' ? 'x' : 'y'] = Number(value);
  return [begin, at];
}
