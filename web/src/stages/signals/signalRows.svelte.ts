import { parseFilter } from '../../kit/filter';
import { orderKey } from '../../kit/table';
import { linksOf } from '../../plant/links';
import { rootOf } from '../../plant/rails';
import type { PlantStore, Row } from '../../plant/store.svelte';
import { columnOf, valueAt } from './columns';
import { drawn, grouped, variableOf, type Grouping } from './grouping';

export type Signal = Row<'signals'>;

/** Which signals are shown in which order: what the filter left, sorted by a column, put together in groups. */
export class SignalRows {
  #words = $state('');
  sort = $state.raw<{ column: string; down: boolean } | null>(null);
  grouping = $state<Grouping>('');
  folded = $state.raw<ReadonlySet<string>>(new Set());

  constructor(readonly plant: PlantStore) {}

  readonly controllers = $derived.by(
    () => new Map(this.plant.list('controllers').map((c) => [c.id, c.name])),
  );
  readonly links = $derived.by(() => linksOf(this.plant));
  readonly all = $derived.by(() =>
    this.plant.list('controllers').flatMap((c) => this.plant.list('signals', 'controller', c.id)),
  );
  readonly linkedCount = $derived.by(
    () => this.all.filter((signal) => this.links.has(signal.id)).length,
  );

  get words(): string {
    return this.#words;
  }

  set words(words: string) {
    if (words === this.#words) return;
    this.#words = words;
    this.othersShown();
  }

  /** Other rows are other cells: what was chosen among the old ones is not chosen any more. */
  protected othersShown() {}

  /** What is searched of each: made once for all that is typed into the filter. */
  private readonly searched = $derived.by(() =>
    this.all.map((signal) => [signal, this.facts(signal)] as const),
  );
  private readonly kept = $derived.by(() => {
    if (!this.words.trim()) return this.all;
    const test = parseFilter(this.words);
    return this.searched.filter(([, facts]) => test(facts)).map(([signal]) => signal);
  });
  private readonly sorted = $derived.by(() => {
    const by = this.sort;
    if (!by) return this.kept;
    const keyed = this.kept.map(
      (signal) => [orderKey(this.text(signal, by.column)), signal] as const,
    );
    keyed.sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0));
    const sorted = keyed.map(([, signal]) => signal);
    return by.down ? sorted.reverse() : sorted;
  });
  private readonly groups = $derived.by(() => {
    const by = this.grouping;
    if (!by) return { rows: this.sorted, heads: [] };
    return grouped(this.sorted, (signal) => this.groupOf(signal, by), this.folded);
  });
  /** Those that can be stood on, in order: without what is folded away. */
  readonly signals = $derived.by(() => this.groups.rows);
  /** With the headings of groups between them. */
  readonly drawn = $derived.by(() => drawn(this.groups.rows.length, this.groups.heads));
  readonly shownCount = $derived.by(() => this.sorted.length);

  groupBy(by: Grouping) {
    this.grouping = by;
    this.folded = new Set();
    this.othersShown();
  }

  fold(name: string, folded = !this.folded.has(name)) {
    const names = new Set(this.folded);
    if (folded) names.add(name);
    else names.delete(name);
    this.folded = names;
    this.othersShown();
  }

  foldAll(folded: boolean) {
    this.folded = new Set(folded ? this.groups.heads.map((head) => head.name) : []);
    this.othersShown();
  }

  get allFolded(): boolean {
    return this.groups.heads.length > 0 && this.groups.heads.every((head) => head.folded);
  }

  /** The group of a signal; "" for one that belongs to none. */
  groupOf(signal: Signal, by: Grouping = this.grouping): string {
    const owner = this.controllers.get(signal.controller) ?? '';
    if (by === 'controller') return owner;
    if (by === 'area') return signal.area ?? '';
    if (by === 'station') return this.stationOf(signal, owner);
    const variable = variableOf(signal.name);
    return variable && this.controllers.size > 1 ? `${owner}.${variable}` : variable;
  }

  /** What type a variable is of, as the core tells it; "" as long as that is not known. */
  readonly types = $derived.by(() => {
    const types = new Map<string, string>();
    if (this.grouping !== 'variable') return types;
    for (const [id, owner] of this.controllers)
      for (const told of this.plant.part('controller.variables', id)?.variables ?? [])
        types.set(this.controllers.size > 1 ? `${owner}.${told.name}` : told.name, told.type);
    return types;
  });

  /** Whether the headings name the controller, so that its signals need not. */
  get ownerInHead(): boolean {
    return this.grouping === 'controller';
  }

  private stationOf(signal: Signal, owner: string): string {
    const link = this.link(signal);
    const module = this.plant.row('modules', link?.place);
    const root = module && rootOf(this.plant, module.rail);
    const exchange = module ? undefined : this.plant.row('exchanges', link?.place);
    const connection = this.plant.row('connections', exchange?.connection);
    const station =
      this.plant.row('stations', root?.id) ?? this.plant.row('stations', connection?.station);
    return station?.name ?? (module ? `${owner}, its own rails` : '');
  }

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
      text: `${owner}.${signal.name} ${signal.note ?? ''} ${place} ${signal.tag ?? ''}`,
      keys: {
        type: signal.type,
        unit: signal.unit ?? '',
        at: place,
        in: owner,
        kind,
        name: signal.name,
        tag: signal.tag ?? '',
        area: signal.area ?? '',
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

  /** What the output that a signal is written to can do on a fault, and what is set of it. */
  onLoss(signal: Signal) {
    for (const link of this.plant.list('links', 'signal', signal.id)) {
      const module = this.plant.row('modules', link.place);
      const group =
        module &&
        this.plant.type(module.type)?.channels.find((c) => c.on_loss?.keys.includes(link.key));
      const channels = module?.settings?.channels as
        Record<string, { on_loss?: unknown }> | undefined;
      if (group?.on_loss) return { told: group.on_loss, settings: channels?.[link.key] };
    }
    return undefined;
  }

  onLossWords(signal: Signal): string[] {
    return Object.values(this.onLoss(signal)?.told.words ?? {});
  }

  /** What stands in a cell, as it is copied and sorted by. */
  text(signal: Signal, column: string): string {
    if (column === 'link') {
      const link = this.link(signal);
      return link ? `${this.holder(link.place)} ${link.key}` : '';
    }
    if (column === 'on_loss') {
      const { settings, told } = this.onLoss(signal) ?? {};
      return told ? (told.words[String(settings?.on_loss ?? told.usual)] ?? '') : '';
    }
    return String(valueAt(signal, columnOf(column)?.path ?? column) ?? '');
  }
}
