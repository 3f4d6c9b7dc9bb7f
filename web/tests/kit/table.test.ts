import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { orderKey, readTable, writeTable } from '../../src/kit/table';

describe('a table on the clipboard', () => {
  it.each([
    [
      'a\tb\r\nc\td\r\n',
      [
        ['a', 'b'],
        ['c', 'd'],
      ],
    ],
    ['a\n\nb', [['a'], [''], ['b']]],
    ['"a\tb"\t"c ""d"""\n', [['a\tb', 'c "d"']]],
    ['"two\nlines"\tx', [['two\nlines', 'x']]],
    ['a\t\t', [['a', '', '']]],
    ['5" pipe\tx', [['5" pipe', 'x']]],
    ['"never closed\tx', [['never closed\tx']]],
    ['', []],
  ])('%j', (text, rows) => {
    expect(readTable(text)).toEqual(rows);
  });

  it('is read as it was written', () => {
    const cell = fc.string({ unit: fc.constantFrom('a', '"', '\t', '\n', '\r', ' ', '=') });
    const rows = fc.array(fc.array(cell, { minLength: 1, maxLength: 4 }), { minLength: 1 });
    fc.assert(
      fc.property(rows, (given) => {
        // A row that is one empty cell cannot be told from none at the end.
        fc.pre(given.at(-1)!.join('') !== '');
        expect(readTable(writeTable(given))).toEqual(given);
      }),
    );
  });
});

it('counts as people do', () => {
  const names = ['Bed10', 'bed2', 'Bed1', 'Bed1b'];
  expect(names.sort((a, b) => (orderKey(a) < orderKey(b) ? -1 : 1))).toEqual([
    'Bed1',
    'Bed1b',
    'bed2',
    'Bed10',
  ]);
});
