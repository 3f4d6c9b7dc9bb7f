import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Finding } from '../../src/api/client';
import { findingsAt, inOrder, referringTo } from '../../src/plant/indexes';

type Row = { id: string; rank: string; rail: string };

const rows = fc.uniqueArray(
  fc.record({
    id: fc.integer({ min: 1, max: 300 }).map((n) => `m${n}`),
    rank: fc.constantFrom('', 'A', 'AV', 'B', 'a'),
    rail: fc.constantFrom('r1', 'r2', 'r3'),
  }),
  { selector: (row) => row.id, maxLength: 40 },
);
const tableOf = (list: Row[]) => new Map(list.map((row) => [row.id, row]));

describe('rows of a table', () => {
  it('are in order of rank, and of number where ranks are the same', () => {
    fc.assert(
      fc.property(rows, (list) => {
        const table = tableOf(list);
        const found = inOrder(table);
        expect(new Set(found)).toEqual(new Set(list));
        found.slice(1).forEach((row, n) => {
          const before = found[n]!;
          const number = (r: Row) => Number(r.id.slice(1));
          expect(
            before.rank < row.rank || (before.rank === row.rank && number(before) < number(row)),
          ).toBe(true);
        });
        expect(inOrder(table)).toBe(found);
      }),
    );
  });

  it('are found by what they refer to as by looking at each', () => {
    fc.assert(
      fc.property(rows, fc.constantFrom('r1', 'r2', 'r4'), (list, rail) => {
        const table = tableOf(list);
        expect(referringTo(table, 'rail', rail)).toEqual(
          inOrder(table).filter((row) => row.rail === rail),
        );
      }),
    );
  });
});

const finding = (key: string, ...ids: string[]) =>
  ({ key, places: ids.map((id) => ({ id })) }) as unknown as Finding;

it('finds what names a place, each once, whichever way it is asked', () => {
  const [one, two, three] = [finding('1', 'a', 'b', 'a'), finding('2', 'b'), finding('3')];
  const all = new Map([one, two, three].map((f) => [f!.key, f!]));
  expect(findingsAt(all, ['a'])).toEqual([one]);
  expect(findingsAt(all, ['a', 'b'])).toEqual([one, two]);
  expect(findingsAt(all, ['c'])).toEqual([]);
  expect(findingsAt(new Map(), ['a'])).toEqual([]);
});
