import type { Edit } from '../../api/client';
import { columnNamed, columnOf, type ColumnSpec } from './columns';

type Cells = Record<string, string | null>;
/** What rows without headings are, where they become new signals. */
const USUAL = ['name', 'type', 'unit', 'note'];

/** A cell as its field takes it: types in capitals, an emptied number is none. */
function read(path: string, text: string): string | null {
  const value = text.replace(/\r\n?/g, '\n').trim();
  if (path === 'type') return value.toUpperCase();
  return value === '' && path === 'asked_ms' ? null : value;
}

const settable = (column: ColumnSpec | undefined) =>
  column?.path && column.path !== 'link' ? column.path : undefined;

/** New signals of rows: by their headings where the first row has them, else name, type, unit, comment. */
export function newSignals(rows: string[][]): Cells[] {
  const named = rows[0]?.map(columnNamed) ?? [];
  const headed = named.some((c) => c?.key === 'name') && named.filter(Boolean).length > 1;
  const paths = headed ? named.map(settable) : USUAL;
  return (headed ? rows.slice(1) : rows)
    .filter((cells) => cells.some((cell) => cell.trim()))
    .map((cells) => {
      const made: Cells = {};
      cells.forEach((cell, n) => {
        const path = paths[n];
        const value = path ? read(path, cell) : null;
        if (path && value) made[path] = value;
      });
      return made;
    });
}

/** What rows put over cells change: `below` are the signals from the first cell down, `columns` those from it on. */
function overCells(rows: string[][], below: { id: string }[], columns: ColumnSpec[]): Edit[] {
  const values: Record<string, Cells> = {};
  below.slice(0, rows.length).forEach(({ id }, i) => {
    const cells = cellsOf(rows[i]!, columns);
    if (Object.keys(cells).length) values[id] = cells;
  });
  return Object.keys(values).length ? [{ kind: 'set-each', values }] : [];
}

function cellsOf(row: string[], columns: ColumnSpec[]): Cells {
  const cells: Cells = {};
  row.forEach((cell, n) => {
    const path = settable(columns[n]);
    if (path) cells[path] = read(path, cell);
  });
  return cells;
}

/** The edits of rows put over cells; where they begin at names, rows behind the last signal are new ones. */
export function pasted(
  rows: string[][],
  below: { id: string; controller: string }[],
  columns: ColumnSpec[],
): Edit[] {
  const more =
    columns[0]?.key === 'name' ? rows.slice(below.length).filter((row) => row[0]?.trim()) : [];
  const made = more.map((row) =>
    Object.fromEntries(Object.entries(cellsOf(row, columns)).filter(([, value]) => value)),
  );
  const controller = below.at(-1)?.controller;
  const add: Edit[] =
    made.length && controller ? [{ kind: 'paste-signals', controller, rows: made }] : [];
  return [...overCells(rows, below, columns), ...add];
}

/** The edits that empty cells; a signal always has a type. */
export function emptied(
  ids: string[],
  columns: string[],
  links: { id: string; signal: string }[],
): Edit[] {
  const paths = columns
    .map((key) => columnOf(key)?.path)
    .filter((path) => path && path !== 'link' && path !== 'type');
  const values = Object.fromEntries(paths.map((p) => [p!, p === 'asked_ms' ? null : '']));
  const own = new Set(columns.includes('link') ? ids : []);
  const doomed = links.filter((link) => own.has(link.signal)).map((link) => link.id);
  const edits: Edit[] = paths.length ? [{ kind: 'set', ids, values }] : [];
  return doomed.length ? [...edits, { kind: 'remove', ids: doomed }] : edits;
}
