/** Tables on the clipboard as spreadsheets put them there: tabs between, quotes round what holds tabs or lines. */

export function readTable(text: string): string[][] {
  const rows: string[][] = [];
  let row: string[] = [];
  let at = 0;
  while (at < text.length) {
    let cell = '';
    if (text[at] === '"') {
      const end = closing(text, at + 1);
      cell = text.slice(at + 1, end).replaceAll('""', '"');
      at = end + 1;
    }
    const next = /[\t\r\n]/g;
    next.lastIndex = at;
    const stop = next.exec(text)?.index ?? text.length;
    row.push(cell + text.slice(at, stop));
    at = stop + 1;
    if (text[stop] !== '\t') {
      rows.push(row);
      row = [];
      if (text[stop] === '\r' && text[at] === '\n') at++;
    } else if (at >= text.length) row.push('');
  }
  if (row.length) rows.push(row);
  return rows;
}

/** Where a quoted cell ends: at a quote that is not doubled, or at the end of the text. */
function closing(text: string, from: number): number {
  for (let at = from; at < text.length; at++) {
    if (text[at] !== '"') continue;
    if (text[at + 1] !== '"') return at;
    at++;
  }
  return text.length;
}

export function writeTable(rows: string[][]): string {
  const cell = (text: string) =>
    /["\t\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  return rows.map((row) => row.map(cell).join('\t')).join('\r\n');
}

/** A key by which texts are in the order people count in: Bed2 before Bed10, case aside. */
export const orderKey = (text: string) =>
  text.toLowerCase().replace(/\d+/g, (digits) => digits.padStart(12, '0'));
