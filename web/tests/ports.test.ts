import { describe, expect, test } from 'vitest';
import { bitsOf, byHand, stretchesOf } from '../src/stages/networks/ports/fields';

describe('bits of process data', () => {
  test('count from the lowest of the last octet, octets as they travel', () => {
    // 24 bits from 8 in 4 octets are the first three octets; 6 bits from 2 lie within the last.
    expect(stretchesOf(4, [{ bit: 8, bits: 24 }]).map((s) => [s.octet, s.from, s.bits])).toEqual([
      [0, 0, 8],
      [1, 0, 8],
      [2, 0, 8],
    ]);
    expect(stretchesOf(4, [{ bit: 2, bits: 6 }])).toEqual([
      { octet: 3, from: 0, bits: 6, field: 0, begins: true },
    ]);
    // 14 bits from 2 in 2 octets: all of the first, six of the second.
    expect(stretchesOf(2, [{ bit: 2, bits: 14 }]).map((s) => [s.octet, s.from, s.bits])).toEqual([
      [0, 0, 8],
      [1, 0, 6],
    ]);
  });

  test('each bit is drawn once, wherever fields lie', () => {
    for (let octets = 1; octets <= 8; octets++)
      for (let bit = 0; bit < 8 * octets; bit += 3) {
        const bits = Math.min(11, 8 * octets - bit);
        const drawn = stretchesOf(octets, [{ bit, bits }]).flatMap((s) =>
          Array.from({ length: s.bits }, (_, n) => 8 * (octets - 1 - s.octet) + 7 - s.from - n),
        );
        expect(drawn.sort((a, b) => a - b)).toEqual(
          Array.from({ length: bits }, (_, n) => bit + n),
        );
      }
  });

  test('a field by hand has its key, its type and its scale', () => {
    const typed = { way: 'in', from: '8', bits: '24', sign: 'INT', count: '0,1' } as const;
    expect(byHand(typed)).toEqual({
      key: 'g8.24',
      type: 'REAL',
      scaling: { raw_lo: 0, raw_hi: 1000, lo: 0, hi: 100, raw_type: 'DINT' },
    });
    expect(byHand({ ...typed, count: '', sign: 'UINT', bits: '14', from: '2' })).toEqual({
      key: 'g2.14',
      type: 'UINT',
    });
    expect(byHand({ ...typed, way: 'out', bits: '1', from: '0' })).toEqual({
      key: 't0.1',
      type: 'BOOL',
    });
    for (const wrong of [
      { from: '-1' },
      { from: 'x' },
      { bits: '0' },
      { bits: '65' },
      { count: 'much' },
      { count: '0' },
      { sign: 'REAL', bits: '24' },
    ] as const)
      expect(byHand({ ...typed, ...wrong })).toHaveProperty('problem');
    expect(bitsOf('g8.24')).toEqual({ area: 'in', bit: 8, bits: 24 });
    expect(bitsOf('valid')).toBeNull();
  });
});
