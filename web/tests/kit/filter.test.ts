import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { parseFilter, type Facts } from '../../src/kit/filter';

const BED: Facts = {
  text: 'HALL.Bed4Temp Bed sensors, From it',
  keys: { type: 'REAL', unit: '°C', at: 'Bed sensors, From it', kind: 'network', name: 'Bed4Temp' },
};

describe('what a filter keeps', () => {
  test.each([
    ['', true],
    ['bed4', true],
    ['BED4 temp', true],
    ['bed4 spray', false],
    ['spray | temp', true],
    ['spray | pump', false],
    ['bed4 spray | temp', true],
    ['spray bed4 | temp', false],
    ['-spray', true],
    ['-bed4', false],
    ['kind:network', true],
    ['kind:analogue', false],
    ['-kind:analogue', true],
    ['type:real unit:°c', true],
    ['at:"bed sensors"', true],
    ['"bed4temp bed"', true],
    ['"temp hall"', false],
    ['nokey:x', false],
    ['name:', false],
    ['|', true],
    ['| bed4', true],
    ['-', false],
  ])('%j: %s', (words, kept) => {
    expect(parseFilter(words)(BED)).toBe(kept);
  });
});

const word = fc.stringMatching(/^[a-z]{1,4}$/);
const facts = fc.record({ text: fc.stringMatching(/^[a-z ]{0,12}$/), keys: fc.constant({}) });

describe('how words work together', () => {
  it('narrows with each word, and widens with each alternative', () => {
    fc.assert(
      fc.property(word, word, facts, (one, other, row) => {
        const [a, b] = [parseFilter(one)(row), parseFilter(other)(row)];
        expect(parseFilter(`${one} ${other}`)(row)).toBe(a && b);
        expect(parseFilter(`${one} | ${other}`)(row)).toBe(a || b);
        expect(parseFilter(`${one}|${other}`)(row)).toBe(a || b);
        expect(parseFilter(`-${one}`)(row)).toBe(!a);
      }),
    );
  });

  it('takes anything that is typed', () => {
    fc.assert(fc.property(fc.string(), facts, (words, row) => void parseFilter(words)(row)));
  });
});
