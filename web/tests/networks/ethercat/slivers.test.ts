import fc from 'fast-check';
import { expect, test } from 'vitest';
import { places, within, type OnRuler } from '../../../src/networks/ethercat/slivers';

const node = (module: boolean) => ({ module }) as OnRuler;

test('whatever is in view is drawn, and little beside', () => {
  const line = fc.array(fc.boolean(), { minLength: 1, maxLength: 300 });
  fc.assert(
    fc.property(line, fc.nat(20_000), fc.integer({ min: 1, max: 2000 }), (modules, from, width) => {
      const at = places(modules.map(node));
      expect(at).toHaveLength(modules.length + 1);
      const [first, end] = within(at, from, from + width);
      for (let n = 0; n < modules.length; n++) {
        const seen = at[n + 1]! > from && at[n]! < from + width;
        if (seen) expect(n >= first && n < end).toBe(true);
      }
      // One more before what is seen, at most.
      if (end > first + 1) expect(at[first + 2]!).toBeGreaterThan(from - 1);
    }),
  );
});

test('a station is wider than a module', () => {
  const [, station, both] = places([node(false), node(true)]);
  expect(station).toBeGreaterThan(both! - station!);
});
