/** Today as it is here, as days are written: 2026-11-30. */
export function today(): string {
  const local = new Date();
  local.setMinutes(local.getMinutes() - local.getTimezoneOffset());
  return local.toISOString().slice(0, 10);
}

/** An instant in UTC as it is kept, to the minute, as one reads it. */
export const instant = (at: string): string => at.replace('T', ' ').replace('Z', ' UTC');
