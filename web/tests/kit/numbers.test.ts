import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { live, plural, shown } from '../../src/kit/numbers';

const read = (text: string) => Number(text.replace('−', '-').replaceAll('\u202f', ''));

describe('a number for people', () => {
  test.each([
    [0, 5, '0'],
    [-0.5, 5, '−0.5'],
    [1234, 5, '1234'],
    [12345, 5, '12\u202f345'],
    [1234567, 7, '1\u202f234\u202f567'],
    [-98765.4, 6, '−98\u202f765.4'],
    [0.000123456, 3, '0.000123'],
    [2.0004, 3, '2'],
    [99.96, 3, '100'],
    [1e9, 5, '1000000000'],
    [1e-7, 5, '1e−7'],
    [null, 5, '–'],
    [undefined, 5, '–'],
    [NaN, 5, '–'],
    [Infinity, 5, '–'],
  ])('%s with %i digits is %s', (value, digits, text) => {
    expect(shown(value as number, digits)).toBe(text);
  });

  it('says no more and no less than its digits', () => {
    fc.assert(
      fc.property(
        fc
          .double({ min: -1e8, max: 1e8, noNaN: true })
          .filter((v) => v === 0 || Math.abs(v) > 1e-4),
        fc.integer({ min: 1, max: 5 }),
        (value, digits) => {
          expect(read(shown(value, digits))).toBe(Number(value.toPrecision(digits)) + 0);
        },
      ),
    );
  });
});

describe('a live value', () => {
  test.each([
    [true, '1'],
    [false, '0'],
    [null, '–'],
    [undefined, '–'],
    [21.34567, '21.35'],
    [4294967295, '4294967295'],
    [123456789, '123\u202f456\u202f789'],
    [-3, '−3'],
  ])('%s is %s', (value, text) => {
    expect(live(value)).toBe(text);
  });
});

test('one is one, all else are many', () => {
  expect([0, 1, 2].map((n) => plural(n, 'module'))).toEqual(['0 modules', '1 module', '2 modules']);
  expect(plural(2, 'entry', 'entries')).toBe('2 entries');
});
