import { Problem } from '../../api/client';
import { parseFilter } from '../../kit/filter';
import { plural } from '../../kit/numbers';
import { linksOf } from '../../plant/links';
import { rootOf } from '../../plant/rails';
import type { PlantStore, Row } from '../../plant/store.svelte';
import { router } from '../../shell/router.svelte';
import { COLUMNS, type Column, type Editing } from './columns';

type Signal = Row<'signals'>;

/** What is worked on in the grid of signals: what the filter left, what is chosen, the cell that is edited. */
export class SignalWork {
  words = $state('');
  at = $state(0);
  until = $state<number | null>(null);
  /** The signal whose path stands open below it. */
  opened = $state('');
  editing = $state<Editing | null>(null);
  /** Why the cell could not be taken over. */
  problem = $state('');
  /** What the link being edited leads to. */
  linkPlace = $state('');
  linkKey = $state('');

  constructor(readonly plant: PlantStore) {}

  readonly controllers = $derived.by(
    () => new Map(this.plant.list('controllers').map((c) => [c.id, c.name])),
  );
  readonly links = $derived.by(() => linksOf(this.plant));
  readonly all = $derived.by(() =>
    this.plant.list('controllers').flatMap((c) => this.plant.list('signals', 'controller', c.id)),
  );
  readonly signals = $derived.by(() => {
    if (!this.words.trim()) return this.all;
    const test = parseFilter(this.words);
    return this.all.filter((signal) => test(this.facts(signal)));
  });
  readonly linkedCount = $derived.by(
    () => this.all.filter((signal) => this.links.has(signal.id)).length,
  );
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

  link = (signal: Signal) => this.links.get(signal.id)?.link;

  private facts(signal: Signal) {
    const link = this.link(signal);
    const place = link ? this.holder(link.place) : '';
    const owner = this.controllers.get(signal.controller) ?? '';
    const kind = link
      ? this.plant.row('modules', link.place)
        ? link.scaling
          ? 'analogue'
          : 'digital'
        : 'network'
      : 'unlinked';
    return {
      text: `${owner}.${signal.name} ${signal.note ?? ''} ${place}`,
      keys: {
        type: signal.type,
        unit: signal.unit ?? '',
        at: place,
        in: owner,
        kind,
        name: signal.name,
      },
    };
  }

  /** What a link's place is called: a module with what it is, or an exchange with its station. */
  holder(id: string): string {
    const module = this.plant.row('modules', id);
    if (module) {
      const type = this.plant.type(module.type)?.name ?? '';
      if (module.designation) return `${module.designation} ${type}`;
      // Without a designation of its own it is told apart by what it hangs on.
      const root = rootOf(this.plant, module.rail);
      return this.plant.row('stations', root?.id) ? `${root?.name}, ${type}` : type;
    }
    const exchange = this.plant.row('exchanges', id);
    const connection = this.plant.row('connections', exchange?.connection);
    const station = this.plant.row('stations', connection?.station);
    return exchange ? `${station?.name ?? ''}, ${exchange.name}` : '';
  }

  /** An address that names a signal chooses it; true when it was not chosen before. */
  arrive(id: string): boolean {
    const n = this.signals.findIndex((signal) => signal.id === id);
    const moved = n >= 0 && this.current?.id !== id;
    if (moved) this.at = n;
    else if (this.at >= this.signals.length) this.at = Math.max(0, this.signals.length - 1);
    if (n >= 0) this.plant.select(id);
    return moved;
  }

  choose(n: number, extend = false) {
    n = Math.max(0, Math.min(this.signals.length - 1, n));
    if (extend) this.until = n;
    else {
      this.at = n;
      this.until = null;
    }
    const ids = this.chosen.map((signal) => signal.id);
    this.plant.select(...ids);
    if (ids.length === 1) this.show(ids[0]!);
  }

  show(id: string) {
    router.go(`/p/${this.plant.key}/signals/${id}`, { replace: true });
  }

  /** Where a link leads, in one word. */
  private word(link: Row<'links'> | undefined): string {
    const path = link && this.plant.part('signal.path', link.signal);
    return path?.links.find((l) => l.link === link?.id)?.key ?? link?.key ?? '';
  }

  begin(column: Column) {
    const signal = this.current;
    if (!signal || !this.plant.mayEdit) return;
    this.problem = '';
    if (column === 'link') {
      const link = this.link(signal);
      this.linkPlace = link?.place ?? '';
      this.linkKey = this.word(link);
    }
    const value = column === 'link' ? '' : signal[column];
    this.editing = { column, text: value == null ? '' : String(value) };
  }

  /** Take the edited cell over; true when that could be done, and then the next cell by `go` is begun. */
  async commit(go = 0): Promise<boolean> {
    const signal = this.current;
    const cell = this.editing;
    if (!signal || !cell) return false;
    try {
      if (cell.column === 'link') await this.relink(signal);
      else if (String(signal[cell.column] ?? '') !== cell.text)
        await this.set(signal, cell.column, cell.text);
    } catch (error) {
      this.problem = error instanceof Problem ? error.detail : String(error);
      return false;
    }
    this.cancel();
    const next = go ? COLUMNS[COLUMNS.indexOf(cell.column) + go] : undefined;
    if (next) this.begin(next);
    return true;
  }

  cancel() {
    this.editing = null;
    this.problem = '';
    this.plant.endPreview();
  }

  /** A field of all that are chosen; a name is one signal's alone. */
  private async set(signal: Signal, column: Exclude<Column, 'link'>, text: string) {
    const rows = column === 'name' ? [signal] : this.chosen;
    const value = text === '' && column === 'asked_ms' ? null : text;
    await this.plant.edit(
      { kind: 'set', ids: rows.map((row) => row.id), values: { [column]: value } },
      `${this.inWords(rows)}: ${column}`,
    );
  }

  private async relink(signal: Signal) {
    const link = this.link(signal);
    const [place, key] = [this.linkPlace, this.linkKey];
    if (!place && link)
      await this.plant.edit({ kind: 'remove', ids: [link.id] }, `Unlink ${signal.name}`);
    else if (place && key && (link?.place !== place || this.word(link) !== key))
      await this.plant.edit(
        { kind: 'link', signal: signal.id, place, key, instead: link?.id ?? null, also: false },
        `Link ${signal.name}`,
      );
  }

  private inWords = (rows: Signal[]) =>
    rows.length > 1 ? plural(rows.length, 'signal') : (rows[0]?.name ?? '');

  async remove() {
    const rows = this.chosen;
    if (!rows.length || !this.plant.mayEdit) return;
    this.until = null;
    const edit = { kind: 'remove' as const, ids: rows.map((row) => row.id) };
    await this.plant.edit(edit, `Remove ${this.inWords(rows)}`).catch(() => {});
  }

  /** Type, unit and asked response of the first chosen signal for all chosen ones. */
  async fillDown() {
    const [model, ...rest] = this.chosen;
    if (!model || !rest.length || !this.plant.mayEdit) return;
    const values = { type: model.type, unit: model.unit ?? '', asked_ms: model.asked_ms ?? null };
    const edit = { kind: 'set' as const, ids: rest.map((row) => row.id), values };
    await this.plant.edit(edit, `Fill down from ${model.name}`).catch(() => {});
  }

  /** Rows from a spreadsheet: name, type, unit, note; one edit for all of them. */
  async paste(text: string) {
    const controller = this.current?.controller ?? this.plant.list('controllers')[0]?.id;
    if (!controller) return;
    const edits = text
      .trim()
      .split(/\r?\n/)
      .map((line) => line.split('\t').map((cell) => cell.trim()))
      .filter(([name]) => name)
      .map(([name, type, unit, note]) => ({
        kind: 'add-signals' as const,
        controller,
        pattern: name!,
        start: 1,
        step: 1,
        count: 1,
        type: (type || 'BOOL').toUpperCase(),
        unit: unit ?? '',
        note: note ?? '',
      }));
    if (edits.length)
      await this.plant
        .edit({ kind: 'batch', edits }, `Paste ${plural(edits.length, 'signal')}`)
        .catch(() => {});
  }
}
