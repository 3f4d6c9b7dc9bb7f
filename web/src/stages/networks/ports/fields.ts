import type { PartResult } from '../../../api/client';

export type PortField = PartResult<'module.port'>['fields'][number];

/** A stretch of an octet that one field has: from which of its bits on, counted from the highest, and how many. */
export type Stretch = { octet: number; from: number; bits: number; field: number; begins: boolean };

/** Which bits of which octets each field has: bits count from the lowest of the last octet, octets as they travel. */
export function stretchesOf(octets: number, fields: Pick<PortField, 'bit' | 'bits'>[]): Stretch[] {
  return fields.flatMap((field, n) => {
    const found: Stretch[] = [];
    for (let bit = field.bit + field.bits - 1; bit >= field.bit;) {
      const within = bit % 8;
      const bits = Math.min(within + 1, bit - field.bit + 1);
      found.push({
        octet: octets - 1 - Math.floor(bit / 8),
        from: 7 - within,
        bits,
        field: n,
        begins: !found.length,
      });
      bit -= bits;
    }
    return found;
  });
}

export type ByHand = {
  way: 'in' | 'out';
  from: string;
  bits: string;
  sign: 'UINT' | 'INT' | 'REAL';
  count: string;
};

const SIZES = [8, 16, 32, 64];
const TYPES = {
  UINT: ['USINT', 'UINT', 'UDINT', 'ULINT'],
  INT: ['SINT', 'INT', 'DINT', 'LINT'],
} as const;
/** Two counts, and the value at each: of a thousand counts a value has few digits. */
const FULL = 1000;

/** The place, the type and the scale of a field typed by hand; or what is wrong with it. */
export function byHand({ way, from, bits, sign, count }: ByHand) {
  const [first, many] = [Number(from), Number(bits)];
  const worth = count.trim() === '' ? 1 : Number(count.replace(',', '.'));
  if (!Number.isInteger(first) || first < 0)
    return { problem: `“${from}” is no bit: they count from 0.` };
  if (!Number.isInteger(many) || many < 1 || many > 64)
    return { problem: `“${bits}” is no number of bits: 1 to 64.` };
  if (!Number.isFinite(worth) || worth === 0)
    return { problem: `“${count}” is nothing a count can be worth.` };
  if (sign === 'REAL' && many !== 32 && many !== 64)
    return { problem: 'A real number has 32 or 64 bits.' };
  const key = `${way === 'in' ? 'g' : 't'}${first}.${many}`;
  const raw =
    many === 1
      ? 'BOOL'
      : sign === 'REAL'
        ? many === 32
          ? 'REAL'
          : 'LREAL'
        : TYPES[sign][SIZES.findIndex((size) => size >= many)]!;
  if (worth === 1 || raw === 'BOOL') return { key, type: raw };
  // As it is typed: 0.1 · 1000 is 100, and not what a double makes of it.
  const hi = Number((worth * FULL).toPrecision(15));
  return { key, type: 'REAL', scaling: { raw_lo: 0, raw_hi: FULL, lo: 0, hi, raw_type: raw } };
}

/** The bits a key names; null for one that names none. */
export function bitsOf(key: string): { area: 'in' | 'out'; bit: number; bits: number } | null {
  const found = /^([gt])(\d+)\.(\d+)$/.exec(key);
  if (!found) return null;
  return { area: found[1] === 'g' ? 'in' : 'out', bit: Number(found[2]), bits: Number(found[3]) };
}
