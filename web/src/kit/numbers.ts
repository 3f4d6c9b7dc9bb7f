/** A number for people: at most `digits` significant digits, a real minus sign, thin gaps in thousands. */
export function shown(value: number | null | undefined, digits = 5): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return '–';
  const rounded = Number(value.toPrecision(digits));
  const text =
    Math.abs(rounded) >= 1e9 || (rounded !== 0 && Math.abs(rounded) < 1e-6)
      ? String(rounded)
      : fixed(rounded);
  return text.replace('-', '−');
}

/** Made once: live values are shown thousands of times a second. */
const PLAIN = new Intl.NumberFormat('en-US', { useGrouping: false, maximumFractionDigits: 9 });

function fixed(value: number): string {
  const [whole = '', part] = PLAIN.format(value).split('.');
  const grouped =
    whole.replace('-', '').length > 4 ? whole.replace(/\B(?=(\d{3})+$)/g, '\u202f') : whole;
  return part ? `${grouped}.${part}` : grouped;
}

/** A live value in few characters; true and false as 1 and 0. */
export function live(value: number | boolean | null | undefined): string {
  if (value === null || value === undefined) return '–';
  if (typeof value === 'boolean') return value ? '1' : '0';
  // A count is not rounded: its last digit may be the one that matters.
  return shown(value, Number.isInteger(value) ? 15 : 4);
}

export function plural(count: number, word: string, many = `${word}s`): string {
  return `${count} ${count === 1 ? word : many}`;
}
