import type { PartResult } from '../../api/client';

export type DataWay = PartResult<'ethercat.process-data'>['ways'][number];
export type Pdo = DataWay['pdos'][number];

/** How many bits stand side by side. */
export const ROW_BITS = 32;

/** A stretch of one value in one row of bits: `first` of it in the row, and whether the value goes on beyond. */
export type Stretch = {
  id: string;
  label: string;
  kind: 'value' | 'padding' | 'rest';
  pdo: string;
  row: number;
  first: number;
  bits: number;
  begins: boolean;
};

/** All bits of a direction, value by value, cut where a row ends; what no value uses of the last octet is the rest. */
export function stretchesOf(way: DataWay): Stretch[] {
  const found: Stretch[] = [];
  const put = (from: number, bits: number, told: Pick<Stretch, 'label' | 'kind' | 'pdo'>) => {
    for (let at = from; at < from + bits;) {
      const row = Math.floor(at / ROW_BITS);
      const end = Math.min(from + bits, (row + 1) * ROW_BITS);
      const [first, begins] = [at - row * ROW_BITS, at === from];
      found.push({ id: `${at}`, ...told, row, first, bits: end - at, begins });
      at = end;
    }
  };
  for (const pdo of way.pdos) {
    if (pdo.at === null) continue;
    for (const entry of pdo.entries) {
      const kind = entry.key ? 'value' : 'padding';
      const label = pdo.entries.length === 1 && entry.key ? pdo.label : entry.label;
      put(pdo.at + entry.bit, entry.bits, { label, kind, pdo: `${pdo.row}.${pdo.key}` });
    }
  }
  put(way.bits, 8 * way.octets - way.bits, { label: 'up to a whole octet', kind: 'rest', pdo: '' });
  return found;
}

/** What to set so that a PDO is taken or left out: those that exclude it go, and what is as its file has it is unset. */
export function choiceOf(way: DataWay, pdo: Pdo, take: boolean): Record<string, boolean | null> {
  const set = (one: Pdo, taken: boolean): [string, boolean | null] => [
    `settings.pdos.${one.key}`,
    one.usual === taken ? null : taken,
  ];
  const rivals = take
    ? way.pdos.filter((one) => one.row === pdo.row && pdo.instead.includes(one.key))
    : [];
  return Object.fromEntries([set(pdo, take), ...rivals.map((one) => set(one, false))]);
}
