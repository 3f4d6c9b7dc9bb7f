/** A whole number in groups of three. */
export const grouped = (value: number) => String(value).replace(/\B(?=(\d{3})+$)/g, '\u202f');
