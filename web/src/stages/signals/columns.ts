/**
 * The columns of the grid. `path` is the field that a cell of it sets, "link" the place that a signal is linked to; a
 * column without is only looked at. `width` is its track, px or a share.
 */
export type ColumnSpec = {
  key: string;
  head: string;
  label: string;
  width: string;
  path?: string;
  right?: boolean;
  shown: boolean;
};

const wiring = (key: string, label: string, width: string): ColumnSpec => ({
  key: `wiring.${key}`,
  head: label,
  label,
  width,
  path: `wiring.${key}`,
  shown: false,
});

export const COLUMNS: ColumnSpec[] = [
  { key: 'name', head: 'Signal', label: 'Name', width: '184px', path: 'name', shown: true },
  { key: 'type', head: 'Type', label: 'Type', width: '46px', path: 'type', shown: true },
  { key: 'tag', head: 'Tag', label: 'Tag', width: '104px', path: 'tag', shown: false },
  { key: 'area', head: 'Area', label: 'Area', width: '88px', path: 'area', shown: false },
  {
    key: 'link',
    head: 'Linked to',
    label: 'Linked to',
    width: 'minmax(92px, 2fr)',
    path: 'link',
    shown: true,
  },
  {
    key: 'unit',
    head: 'Range',
    label: 'Unit',
    width: '98px',
    path: 'unit',
    right: true,
    shown: true,
  },
  { key: 'image', head: 'In the image', label: 'In the image', width: '146px', shown: true },
  {
    key: 'asked_ms',
    head: 'Worst/asked ms',
    label: 'Response asked',
    width: '86px',
    path: 'asked_ms',
    right: true,
    shown: true,
  },
  { key: 'raw', head: 'Raw', label: 'Raw now', width: '64px', right: true, shown: false },
  {
    key: 'electrical',
    head: 'Terminals',
    label: 'At the terminals now',
    width: '78px',
    right: true,
    shown: false,
  },
  { key: 'now', head: 'Now', label: 'Value now', width: '46px', right: true, shown: true },
  { key: 'state', head: 'State', label: 'State', width: 'minmax(84px, 0.6fr)', shown: true },
  {
    key: 'initial',
    head: 'Begins with',
    label: 'Initial value',
    width: '84px',
    path: 'initial',
    right: true,
    shown: false,
  },
  {
    key: 'on_loss',
    head: 'On fault',
    label: 'On fault',
    width: '104px',
    path: 'channel.on_loss',
    shown: false,
  },
  { key: 'note', head: 'Comment', label: 'Comment', width: '190px', path: 'note', shown: false },
  wiring('location', 'Location', '140px'),
  wiring('strip', 'Strip', '56px'),
  wiring('terminal', 'Terminal', '66px'),
  wiring('cable', 'Cable', '72px'),
  wiring('core', 'Core', '46px'),
  wiring('loop', 'Loop', '64px'),
  wiring('kind', 'Kind', '94px'),
  wiring('range', 'Range of the list', '110px'),
];
const BY_KEY = new Map(COLUMNS.map((column) => [column.key, column]));

export const columnOf = (key: string) => BY_KEY.get(key);

/** What a row has at a dotted path. */
export function valueAt(row: object | null | undefined, path: string): unknown {
  return path
    .split('.')
    .reduce<unknown>((value, key) => (value as Record<string, unknown> | null)?.[key], row ?? {});
}

export type Editing = { column: string; text: string };

const KEPT = 'highmoor.signals.columns';

/** The columns shown, as they were chosen in this browser. */
export function keptColumns(): string[] {
  const usual = COLUMNS.filter((column) => column.shown).map((column) => column.key);
  try {
    const kept: unknown = JSON.parse(window.localStorage.getItem(KEPT) ?? 'null');
    const known = Array.isArray(kept) ? COLUMNS.filter((c) => kept.includes(c.key)) : [];
    return known.length ? known.map((column) => column.key) : usual;
  } catch {
    return usual;
  }
}

export function keepColumns(keys: string[]): void {
  try {
    window.localStorage.setItem(KEPT, JSON.stringify(keys));
  } catch {
    // A browser that keeps nothing shows the usual ones the next time.
  }
}

/** A heading of a pasted table as the column it names. */
export function columnNamed(heading: string): ColumnSpec | undefined {
  const word = heading.trim().toLowerCase();
  return COLUMNS.find((c) => [c.key, c.head.toLowerCase(), c.label.toLowerCase()].includes(word));
}
