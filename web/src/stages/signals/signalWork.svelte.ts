import { Problem, type Edit } from '../../api/client';
import { plural } from '../../kit/numbers';
import type { Row } from '../../plant/store.svelte';
import { router } from '../../shell/router.svelte';
import { readTable, writeTable } from '../../kit/table';
import { COLUMNS, columnOf, keepColumns, keptColumns, type Editing } from './columns';
import { emptied, newSignals, pasted } from './pasting';
import { SignalRows, type Signal } from './signalRows.svelte';

/**
 * What is worked on in the grid of signals: what is chosen, the cell that is edited. The row behind the last is that of
 * a new signal.
 */
export class SignalWork extends SignalRows {
  at = $state(0);
  until = $state<number | null>(null);
  /** The column of the cursor, and to which one the cells are chosen. */
  column = $state('name');
  columnUntil = $state<string | null>(null);
  shownColumns = $state.raw<string[]>(keptColumns());
  /** Where there is no room for all of it, where a signal lies in the image is left to its own sheet. */
  narrow = $state(false);
  /** The signal whose path stands open below it. */
  opened = $state('');
  editing = $state<Editing | null>(null);
  /** Why the cell could not be taken over. */
  problem = $state('');
  /** Whether one stands on the row of a new signal, wherever that is once there are more. */
  private keptNew = false;
  /** What the link being edited leads to. */
  linkPlace = $state('');
  linkKey = $state('');

  protected override othersShown() {
    this.until = this.columnUntil = null;
  }

  readonly columns = $derived.by(() =>
    COLUMNS.filter((c) => this.shownColumns.includes(c.key) && !(this.narrow && c.key === 'image')),
  );
  /** The columns that are chosen, from the cursor's on. */
  readonly chosenColumns = $derived.by(() => {
    const keys = this.columns.map((column) => column.key);
    const [one, other] = [this.column, this.columnUntil ?? this.column].map((key) =>
      Math.max(0, keys.indexOf(key)),
    );
    return this.columns.slice(Math.min(one!, other!), Math.max(one!, other!) + 1);
  });
  readonly openedAt = $derived.by(() => this.signals.findIndex((s) => s.id === this.opened));
  readonly current = $derived.by(() => this.signals[this.at]);
  /** The signals chosen, in order. */
  readonly chosen = $derived.by(() => {
    const other = this.until ?? this.at;
    return this.signals.slice(Math.min(this.at, other), Math.max(this.at, other) + 1);
  });
  readonly isChosen = $derived.by(() => {
    const ids = new Set(this.chosen.map((signal) => signal.id));
    return (id: string) => ids.has(id);
  });

  /** An address that names a signal chooses it; true when it was not chosen before. */
  arrive(id: string): boolean {
    const n = this.signals.findIndex((signal) => signal.id === id);
    const moved = n >= 0 && this.current?.id !== id;
    if (moved) this.at = n;
    else if (this.keptNew) this.at = this.last;
    else if (this.at >= this.signals.length) this.at = Math.max(0, this.signals.length - 1);
    if (n >= 0) this.plant.select(id);
    // One that the filter left out is not looked at any more.
    else if (id) this.plant.select();
    return moved;
  }

  /** The last row one can stand on: that of a new signal, for those who may make one. */
  get last(): number {
    return Math.max(0, this.signals.length - (this.mayAdd ? 0 : 1));
  }

  get mayAdd(): boolean {
    return this.plant.mayEdit && this.controllers.size > 0;
  }

  get onNew(): boolean {
    return this.at >= this.signals.length;
  }

  /** The cursor goes so many columns on; with `extend` the cells between are chosen. */
  go(by: number, extend = false) {
    const keys = this.columns.map((column) => column.key);
    const from = keys.indexOf(extend ? (this.columnUntil ?? this.column) : this.column);
    const key = keys[Math.max(0, Math.min(keys.length - 1, from + by))] ?? 'name';
    if (extend) this.columnUntil = key;
    else this.point(key);
  }

  point(column: string) {
    this.column = column;
    this.columnUntil = null;
  }

  chooseAll() {
    this.choose(0);
    this.choose(this.signals.length - 1, true);
    this.column = this.columns[0]?.key ?? 'name';
    this.columnUntil = this.columns.at(-1)?.key ?? null;
  }

  setColumns(keys: string[]) {
    this.shownColumns = keys;
    keepColumns(keys);
    if (!keys.includes(this.column)) this.point('name');
  }

  /** First upwards, then downwards, then as they stand in the plant. */
  sortBy(column: string) {
    if (!columnOf(column)?.path) return;
    const now = this.sort;
    const id = this.current?.id;
    if (now?.column !== column) this.sort = { column, down: false };
    else this.sort = now.down ? null : { column, down: true };
    const at = this.signals.findIndex((signal) => signal.id === id);
    if (at >= 0) this.at = at;
    this.until = null;
  }

  choose(n: number, extend = false) {
    n = Math.max(0, Math.min(extend ? this.signals.length - 1 : this.last, n));
    if (extend) this.until = n;
    else {
      this.at = n;
      this.until = null;
    }
    this.keptNew = this.mayAdd && this.at === this.signals.length;
    const ids = this.chosen.map((signal) => signal.id);
    this.plant.select(...ids);
    if (ids.length < 2) this.show(ids[0] ?? '');
  }

  show(id: string) {
    router.go(`/p/${this.plant.key}/signals${id ? `/${id}` : ''}`, { replace: true });
  }

  /** Where a link leads, in one word. */
  private word(link: Row<'links'> | undefined): string {
    const path = link && this.plant.part('signal.path', link.signal);
    return path?.links.find((l) => l.link === link?.id)?.key ?? link?.key ?? '';
  }

  /** Edit a cell; `typed` begins with that instead of what is there. */
  begin(column: string, typed: string | null = null) {
    const signal = this.current;
    const path = columnOf(column)?.path;
    if (!path || !this.plant.mayEdit) return;
    this.point(column);
    if (!signal) {
      if (this.mayAdd) this.editing = { column: 'name', text: typed ?? '' };
      return;
    }
    this.problem = '';
    if (column === 'link') {
      const link = this.link(signal);
      this.linkPlace = link?.place ?? '';
      this.linkKey = this.word(link);
    }
    if (column === 'on_loss' && !this.onLoss(signal)) return;
    const value = column === 'link' ? '' : this.text(signal, column);
    this.editing = { column, text: column === 'link' ? '' : (typed ?? value) };
  }

  /** Take the edited cell over; true when that could be done, and then the next cell by `go` is begun. */
  async commit(go = 0): Promise<boolean> {
    const signal = this.current;
    const cell = this.editing;
    if (!cell) return false;
    try {
      if (!signal) await this.add([{ name: cell.text }]);
      else if (cell.column === 'link') await this.relink(signal);
      else if (this.text(signal, cell.column) !== cell.text)
        await this.set(signal, cell.column, cell.text);
    } catch (error) {
      this.problem = error instanceof Problem ? error.detail : String(error);
      return false;
    }
    this.cancel();
    const next = go && signal ? this.editable[this.editable.indexOf(cell.column) + go] : undefined;
    if (next) this.begin(next);
    return true;
  }

  /** The columns that can be edited, in the order of Tab. */
  private get editable(): string[] {
    return this.columns.filter((column) => column.path).map((column) => column.key);
  }

  cancel() {
    this.editing = null;
    this.problem = '';
    this.plant.endPreview();
  }

  /** A field of all that are chosen; a name is one signal's alone. */
  private async set(signal: Signal, column: string, text: string) {
    const rows = column === 'name' ? [signal] : this.chosen;
    const value = text === '' && column === 'asked_ms' ? null : text;
    const path = columnOf(column)?.path ?? column;
    await this.plant.edit(
      { kind: 'set', ids: rows.map((row) => row.id), values: { [path]: value } },
      `${this.inWords(rows)}: ${columnOf(column)?.label.toLowerCase() ?? column}`,
    );
  }

  private async add(rows: Record<string, string | null>[]) {
    const controller = (this.signals.at(-1) ?? this.all.at(-1))?.controller;
    const owner = controller ?? this.plant.list('controllers')[0]?.id;
    if (!owner || !rows.length) return;
    const label = rows.length > 1 ? `Add ${plural(rows.length, 'signal')}` : `Add ${rows[0]!.name}`;
    await this.plant.edit({ kind: 'paste-signals', controller: owner, rows }, label);
  }

  private async relink(signal: Signal) {
    const link = this.link(signal);
    const [place, key] = [this.linkPlace, this.linkKey];
    if (!place && link)
      await this.plant.edit({ kind: 'remove', ids: [link.id] }, `Unlink ${signal.name}`);
    else if (
      place &&
      key &&
      (this.chosen.length > 1 || link?.place !== place || this.word(link) !== key)
    )
      await this.plant.edit(
        this.linked(signal, place, key, link?.id ?? null),
        `Link ${this.inWords(this.chosen)}`,
      );
  }

  /** The link of one signal, and where several are chosen those of the others to the places that follow. */
  private linked(signal: Signal, place: string, key: string, instead: string | null): Edit {
    const [first, ...rest] = this.chosen.map((row) => row.id);
    if (!rest.length) return { kind: 'link', signal: signal.id, place, key, instead, also: false };
    const edits: Edit[] = [
      { kind: 'link', signal: first!, place, key, also: false },
      { kind: 'fill-down', ids: [first!, ...rest], fields: ['link'] },
    ];
    return { kind: 'batch', edits };
  }

  private inWords = (rows: Signal[]) =>
    rows.length > 1 ? plural(rows.length, 'signal') : (rows[0]?.name ?? '');

  /** On a name the chosen signals go, elsewhere the chosen cells are emptied. */
  async remove() {
    const rows = this.chosen;
    if (!rows.length || !this.plant.mayEdit) return;
    const columns = this.chosenColumns.map((column) => column.key);
    if (!columns.includes('name')) return this.empty(rows, columns);
    this.until = null;
    const edit = { kind: 'remove' as const, ids: rows.map((row) => row.id) };
    await this.plant.edit(edit, `Remove ${this.inWords(rows)}`).catch(() => {});
  }

  private async empty(rows: Signal[], columns: string[]) {
    const edits = emptied(
      rows.map((row) => row.id),
      columns,
      this.plant.list('links'),
    );
    if (edits.length)
      await this.plant
        .edit({ kind: 'batch', edits }, `Empty ${this.inWords(rows)}`)
        .catch(() => {});
  }

  /** The chosen cells of the first chosen signal for all chosen ones; names, terminals and places count on. */
  async fillDown() {
    const [model, ...rest] = this.chosen;
    const fields = this.chosenColumns.map((c) => c.path).filter((path) => path !== undefined);
    if (!model || !rest.length || !fields.length || !this.plant.mayEdit) return;
    const edit = { kind: 'fill-down' as const, ids: this.chosen.map((row) => row.id), fields };
    await this.plant.edit(edit, `Fill down from ${model.name}`).catch(() => {});
  }

  /** The chosen cells as a table for the clipboard. */
  copied(): string {
    const rows = this.chosen.map((row) => this.chosenColumns.map((c) => this.text(row, c.key)));
    return rows.length ? writeTable(rows) : '';
  }

  /** A table from the clipboard over the cells from the cursor on; behind the last signal its rows are new ones. */
  async paste(text: string) {
    // An empty row within is an empty cell to be put there; only behind the last is it nothing.
    const rows = readTable(text);
    while (rows.length && !rows.at(-1)!.some((cell) => cell.trim())) rows.pop();
    if (!rows.length || !this.plant.mayEdit) return;
    if (this.onNew) return this.add(newSignals(rows)).catch(() => {});
    const from = Math.min(this.at, this.until ?? this.at);
    const one = rows.length === 1 && rows[0]!.length === 1;
    const all = one ? this.chosen.map(() => rows[0]!) : rows;
    const columns = this.columns.slice(this.columns.indexOf(this.chosenColumns[0]!));
    const below = this.signals.slice(from, from + all.length);
    const edits = pasted(all, below, columns);
    if (edits.length)
      await this.plant
        .edit({ kind: 'batch', edits }, `Paste over ${plural(all.length, 'signal')}`)
        .catch(() => {});
  }
}
