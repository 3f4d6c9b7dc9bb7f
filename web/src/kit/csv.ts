/** Hand rows over as a file for the spreadsheet: semicolons, quoted, with a mark that says it is UTF-8. */
export function saveCsv(name: string, rows: (string | number)[][]): void {
  const cell = (value: string | number) => `"${String(value).replaceAll('"', '""')}"`;
  const text = rows.map((row) => row.map(cell).join(';')).join('\r\n');
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob(['\ufeff', text], { type: 'text/csv' }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
