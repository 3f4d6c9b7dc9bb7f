import { describe, expect, it } from 'vitest';
import { laidOut, type OnSegment } from '../../src/networks/profibus-dp/segments';

const node = (row: string, at_m: number, more: Partial<OnSegment> = {}): OnSegment => ({
  row,
  name: row,
  address: '',
  at_m,
  stub_m: 0,
  terminated: false,
  at_end: false,
  repeats: false,
  setting: '',
  ...more,
});
const segment = (...nodes: OnSegment[]) => ({
  nodes,
  length_m: nodes.at(-1)?.at_m ?? 0,
  at_most_m: 200,
});

describe('where everybody stands along a line', () => {
  const lengths = [[1], [2], [5], [3, 4], [2, 1], [28, 28, 28, 28, 13]];

  it.each(lengths.map((each) => [each]))(
    '%j: side by side, a step down behind each repeater',
    (each) => {
      const segments = each.map((count, n) =>
        segment(
          ...Array.from({ length: count }, (_, k) =>
            node(`${n}.${k}`, 5 * k, { repeats: k === count - 1 && n < each.length - 1 }),
          ),
        ),
      );
      // The repeater that ends a segment begins the next one.
      segments.forEach((one, n) => {
        const before = segments[n - 1];
        if (before) one.nodes[0] = { ...one.nodes[0]!, row: before.nodes.at(-1)!.row };
      });
      const laid = laidOut(segments, 800);
      const columns = each.reduce((sum, count) => sum + count, 0) - each.length + 1;
      expect(laid.width).toBeGreaterThanOrEqual(Math.min(800, 84 * columns) - 1e-6);
      expect(new Set(laid.nodes.map((at) => at.key)).size).toBe(laid.nodes.length);
      let last = -Infinity;
      segments.forEach((one, n) => {
        const here = laid.nodes.filter((at) => at.key.startsWith(`${n}.`));
        expect(here.length).toBe(one.nodes.length);
        expect(new Set(here.map((at) => at.y)).size).toBe(1);
        expect(here[0]!.y).toBeGreaterThan(last);
        last = here[0]!.y;
        const xs = here.map((at) => at.x);
        expect(xs).toEqual([...xs].sort((a, b) => a - b));
        expect(here[0]!.step).toBe(n > 0);
        const trunk = laid.trunks[n]!;
        expect([trunk.from, trunk.to]).toEqual([xs[0], xs.at(-1)]);
        // A repeater stands above where the next segment begins.
        const before = n > 0 ? laid.trunks[n - 1]! : undefined;
        if (before) expect(trunk.from).toBe(before.to);
      });
      expect(laid.height).toBeGreaterThan(last);
    },
  );

  it('tells a length where there is one', () => {
    const laid = laidOut([segment(node('', 0), node('a', 12), node('b', 12), node('c', 20))], 800);
    expect(laid.legs.map((leg) => leg.m)).toEqual([12, 8]);
  });
});
