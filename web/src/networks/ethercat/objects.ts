import type { PartResult, Schemas } from '../../api/client';

export type Area = PartResult<'ethercat.objects'>['areas'][number];
export type DeviceObject = Area['objects'][number];
export type ObjectValue = DeviceObject['values'][number];
export type Known = Map<string, Schemas['ObjectLiveOut']>;

/** Whether a device holds something else than it would if all were as configured. */
export function differs(value: ObjectValue, known: Known): boolean {
  const there = known.get(value.key)?.forms;
  return !!there && !!value.usual && there.octets !== value.usual.octets;
}

/** The index that was meant: in hex, with its base or without, with a subindex behind a colon or without. */
export function meant(text: string): string {
  const found =
    /^\s*(?:16#|0x|#x)?([0-9a-f]{1,4})(?:\s*[:.]\s*(?:16#|0x)?([0-9a-f]{1,2}))?\s*$/i.exec(text);
  if (!found) return '';
  const [, index = '', sub = '0'] = found;
  return `${index.padStart(4, '0')}:${sub.padStart(2, '0')}`.toUpperCase();
}

/** The number or the text of a value, as it is read first. */
export function plainly(forms: { decimal: string; text: string; octets: string }): string {
  return forms.text || forms.decimal || forms.octets;
}
