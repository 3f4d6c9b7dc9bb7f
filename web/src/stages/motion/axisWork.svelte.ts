import type { Edit } from '../../api/client';
import type { PlantStore, Row } from '../../plant/store.svelte';
import { router } from '../../shell/router.svelte';

/** The axis that is worked on, and what can be done with it. */
export class AxisWork {
  constructor(
    readonly plant: PlantStore,
    private readonly wanted: () => string,
    private readonly chosenId: () => string,
  ) {}

  axes = $derived.by(() => {
    const order = new Map(this.plant.list('controllers').map((c, n) => [c.id, n]));
    return [...this.plant.list('axes')].sort(
      (a, b) => (order.get(a.controller) ?? 0) - (order.get(b.controller) ?? 0),
    );
  });
  robots = $derived.by(() => this.plant.list('robots'));
  robot = $derived.by(() => this.plant.row('robots', this.wanted()));
  axis = $derived.by(() =>
    this.robot ? undefined : (this.plant.row('axes', this.wanted()) ?? this.axes[0]),
  );
  links = $derived.by(() =>
    this.axis ? this.plant.list('chain_links', 'axis', this.axis.id) : ([] as Row<'chain_links'>[]),
  );
  moves = $derived.by(() =>
    this.axis ? this.plant.list('moves', 'axis', this.axis.id) : ([] as Row<'moves'>[]),
  );
  chosen = $derived.by(() => {
    const id = this.chosenId();
    return [...this.links, ...this.moves].find((row) => row.id === id);
  });

  open(axis: string, object = ''): void {
    const path = `/p/${this.plant.key}/motion/${axis}${object ? `/${object}` : ''}`;
    router.go(path, { replace: object !== '' || axis === this.axis?.id });
  }

  /** Make something of this axis, and choose it. */
  async add(edit: Edit, label: string, tag: string): Promise<void> {
    const axis = this.axis;
    const answer = await this.plant.edit(edit, label).catch(() => null);
    const made = answer?.tags[tag];
    if (made && axis && axis.id === this.axis?.id) this.open(axis.id, made);
  }

  /** The chosen link or move, or with none of them the axis or the robot itself. */
  async remove(): Promise<void> {
    const axis = this.axis ?? this.robot;
    if (!axis) return;
    const row = this.chosen;
    const onward = router.onward();
    const label = row
      ? `Remove ${this.nameOf(row.id)} of ${axis.name}`
      : `Remove ${this.robot ? 'robot' : 'axis'} ${axis.name}`;
    await this.plant.edit({ kind: 'remove', ids: [row?.id ?? axis.id] }, label).catch(() => {});
    onward(`/p/${this.plant.key}/motion${row ? `/${axis.id}` : ''}`);
  }

  async homeBy(method: number): Promise<void> {
    const axis = this.axis;
    if (!axis) return;
    const values = { 'settings.home_method': method || null };
    const edit = { kind: 'set' as const, ids: [axis.id], values };
    await this.plant.edit(edit, `Homing of ${axis.name}`).catch(() => {});
  }

  /** The chosen link or move one place on (1) or back (−1). */
  async shift(by: 1 | -1): Promise<void> {
    const row = this.chosen;
    if (!row) return;
    const rows = 'name' in row ? this.moves : this.links;
    const at = rows.findIndex((r) => r.id === row.id);
    const to = by === 1 ? at + 2 : at - 1;
    if (to < 0 || to > rows.length) return;
    const edit = { kind: 'put-before' as const, id: row.id, before: rows[to]?.id ?? null };
    await this.plant.edit(edit, `Move ${this.nameOf(row.id)}`).catch(() => {});
  }

  nameOf(id: string): string {
    const move = this.plant.row('moves', id);
    const link = this.plant.row('chain_links', id);
    return (
      move?.name ??
      (link ? (this.plant.catalogue.link_kinds[link.kind] ?? link.kind) : id).toLowerCase()
    );
  }
}
