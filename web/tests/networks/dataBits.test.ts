import { describe, expect, it } from 'vitest';
import {
  choiceOf,
  stretchesOf,
  type DataWay,
  type Pdo,
} from '../../src/networks/ethercat/dataBits';

const entry = (label: string, bit: number, bits: number, key = 'i6000:01') => ({
  key,
  label,
  bit,
  bits,
  data_type: 'UINT',
});

const pdo = (key: string, told: Partial<Pdo>): Pdo => ({
  row: 's1',
  slot: 0,
  key,
  index: 0x1a00,
  label: key,
  taken: false,
  usual: false,
  held: '',
  at: null,
  bits: 16,
  instead: [],
  against: '',
  entries: [],
  ...told,
});

const way = (bits: number, ...pdos: Pdo[]): DataWay => ({
  direction: 'in',
  octets: Math.ceil(bits / 8),
  bits,
  pdos,
});

describe('the bits of a direction', () => {
  it('are cut where a row ends, and what is left of the last octet is said', () => {
    const entries = [entry('a', 0, 16), entry('b', 16, 32), entry('pad', 48, 4, '')];
    const found = stretchesOf(way(52, pdo('1A00', { at: 0, entries })));
    expect(found.map((s) => [s.label, s.kind, s.row, s.first, s.bits, s.begins])).toEqual([
      ['a', 'value', 0, 0, 16, true],
      ['b', 'value', 0, 16, 16, true],
      ['b', 'value', 1, 0, 16, false],
      ['pad', 'padding', 1, 16, 4, true],
      ['up to a whole octet', 'rest', 1, 20, 4, true],
    ]);
  });

  it('are those of what is taken, and none twice', () => {
    const one = (key: string, at: number | null) =>
      pdo(key, { at, bits: 8, entries: [entry(key, 0, 8)] });
    const found = stretchesOf(way(16, one('1A00', 0), one('1A01', null), one('1A02', 8)));
    expect(found.map((s) => s.label)).toEqual(['1A00', '1A02']);
    expect(new Set(found.map((s) => s.id)).size).toBe(found.length);
  });
});

describe('a choice', () => {
  const file = pdo('1600', { taken: true, usual: true });
  const other = pdo('1601', { instead: ['1600'] });

  it('leaves out what excludes it, of the same device alone', () => {
    const elsewhere = pdo('1600', { row: 'm1', taken: true, usual: true });
    expect(choiceOf(way(16, file, other, elsewhere), other, true)).toEqual({
      'settings.pdos.1601': true,
      'settings.pdos.1600': false,
    });
  });

  it('unsets what its file says anyway', () => {
    expect(choiceOf(way(16, file, other), other, false)).toEqual({ 'settings.pdos.1601': null });
    expect(choiceOf(way(16, file, other), file, true)).toEqual({ 'settings.pdos.1600': null });
    expect(choiceOf(way(16, file, other), file, false)).toEqual({ 'settings.pdos.1600': false });
  });
});
