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
