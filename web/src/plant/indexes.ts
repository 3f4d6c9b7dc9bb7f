import type { Finding } from '../api/client';

/** Rows of a table in order, and by what a field of theirs refers to: worked out once for each state of the table. */
type Table = ReadonlyMap<string, unknown>;

const ordered = new WeakMap<Table, unknown[]>();
const referring = new WeakMap<Table, Map<string, Map<unknown, unknown[]>>>();

/** All rows by rank. The list is shared: it must not be changed. */
export function inOrder<R>(table: ReadonlyMap<string, R>): readonly R[] {
  let rows = ordered.get(table);
  if (!rows) {
    rows = [...table.values()].sort(byRank);
    ordered.set(table, rows);
  }
  return rows as R[];
}

/** The rows whose field is `target`, by rank. The list is shared: it must not be changed. */
export function referringTo<R>(
  table: ReadonlyMap<string, R>,
  field: keyof R & string,
  target: string,
): readonly R[] {
  let fields = referring.get(table);
  if (!fields) referring.set(table, (fields = new Map()));
  let groups = fields.get(field);
  if (!groups) {
    groups = grouped(inOrder(table), (row) => row[field]);
    fields.set(field, groups);
  }
  return (groups.get(target) ?? []) as R[];
}

const places = new WeakMap<ReadonlyMap<string, Finding>, Map<unknown, Finding[]>>();

/** Findings that name one of the places, each once. */
export function findingsAt(
  findings: ReadonlyMap<string, Finding>,
  ids: Iterable<string>,
): Finding[] {
  let at = places.get(findings);
  if (!at) {
    at = new Map();
    for (const finding of findings.values())
      for (const id of new Set(finding.places.map((place) => place.id))) push(at, id, finding);
    places.set(findings, at);
  }
  const found = new Set<Finding>();
  for (const id of ids) for (const finding of at.get(id) ?? []) found.add(finding);
  return [...found];
}

function grouped<R>(rows: readonly R[], by: (row: R) => unknown): Map<unknown, R[]> {
  const groups = new Map<unknown, R[]>();
  for (const row of rows) push(groups, by(row), row);
  return groups;
}

function push<R>(groups: Map<unknown, R[]>, key: unknown, row: R): void {
  const group = groups.get(key);
  if (group) group.push(row);
  else groups.set(key, [row]);
}

function byRank(a: unknown, b: unknown): number {
  const one = a as { rank?: string; id: string };
  const other = b as { rank?: string; id: string };
  const x = one.rank ?? '';
  const y = other.rank ?? '';
  if (x !== y) return x < y ? -1 : 1;
  return one.id.length - other.id.length || (one.id < other.id ? -1 : 1);
}
