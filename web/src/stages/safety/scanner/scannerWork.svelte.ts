import type { Edit, PartName, PartResult } from '../../../api/client';
import type { PlantStore, Row } from '../../../plant/store.svelte';
import { router } from '../../../shell/router.svelte';
import type { Point, Shape } from './shapes';

export type SituationTold = PartResult<'situation.told'>;
export type Guard = SituationTold['guards'][number];

/** What can stand around a scanner. */
export const WORDS = { hazard: 'hazard', wall: 'wall', guard: 'guard', open: 'open edge' };
// As many as are asked for in one go, with what follows of the situation.
const MOST_ZONES = 16;

/** The scanner that is worked on: its situation that is looked at, its zone that is drawn, with what can be done. */
export class ScannerWork {
  /** A shape that is being dragged: of which zone, or of what that stands there, and how it is now. */
  dragged = $state.raw<{ row: string; shape: Shape } | null>(null);
  private busy = false;
  private again: (() => void) | null = null;

  constructor(
    readonly plant: PlantStore,
    private readonly wanted: () => string,
    private readonly chosenId: () => string,
  ) {}

  scanners = $derived.by(() => this.plant.list('scanners'));
  current = $derived.by(
    () =>
      this.scanners.find((one) => one.id === this.wanted()) ??
      this.scanners.find((one) => one.id === this.#owner()) ??
      this.scanners[0],
  );
  situations = $derived.by(() => this.of('situations'));
  zones = $derived.by(() => this.of('zones'));
  shapes = $derived.by(() => this.of('plan_shapes'));
  /** What is looked at: the situation that was chosen, or one in which the chosen zone is answered to. */
  situation = $derived.by(() => {
    const chosen = this.chosenId();
    const uses = this.plant.list('zone_uses').filter((use) => use.zone === chosen);
    return (
      this.situations.find((one) => one.id === chosen) ??
      this.situations.find((one) => one.id === this.plant.row('plan_shapes', chosen)?.situation) ??
      this.situations.find((one) => one.id === this.#last) ??
      this.situations.find((one) => uses.some((use) => use.situation === one.id)) ??
      this.situations[0]
    );
  });
  zone = $derived.by(() => this.zones.find((one) => one.id === this.chosenId()));
  shape = $derived.by(() => this.shapes.find((one) => one.id === this.chosenId()));
  told = $derived.by(() =>
    this.current ? this.plant.part('scanner.told', this.current.id) : undefined,
  );
  #last = $state('');

  #owner(): string {
    const id = this.chosenId();
    return (
      this.plant.row('zones', id)?.scanner ??
      this.plant.row('situations', id)?.scanner ??
      this.plant.row('plan_shapes', id)?.scanner ??
      ''
    );
  }

  private of<T extends 'situations' | 'zones' | 'plan_shapes'>(table: T): Row<T>[] {
    return this.current ? this.plant.list(table, 'scanner', this.current.id) : [];
  }

  /** As it would be with what is dragged, if that has been told. */
  result<K extends PartName>(name: K, root: string): PartResult<K> | undefined {
    return this.plant.pending(name, root) ?? this.plant.part(name, root);
  }

  open(id: string): void {
    if (this.plant.row('situations', id)) this.#last = id;
    const of = this.current?.id ?? '';
    router.go(`/p/${this.plant.key}/safety/scanners/${of === id ? id : `${of}/${id}`}`, {
      replace: true,
    });
  }

  drawn(zone: Row<'zones'>): Shape | undefined {
    if (this.dragged?.row === zone.id) return this.dragged.shape;
    return zone.settings?.shape as Shape | undefined;
  }

  points(row: Row<'plan_shapes'>): Point[] {
    if (this.dragged?.row === row.id && this.dragged.shape.kind === 'polygon')
      return this.dragged.shape.points;
    return (row.settings?.points ?? []) as Point[];
  }

  /** What is chosen to be drawn: its shape, what it is called, and how few corners it may have. */
  target = $derived.by(() => {
    if (this.zone) {
      const shape = this.drawn(this.zone);
      return shape
        ? { row: this.zone.id, shape, called: `zone ${this.zone.letter}`, least: 3 }
        : undefined;
    }
    if (!this.shape) return undefined;
    const shape: Shape = { kind: 'polygon', points: this.points(this.shape) };
    const least = this.shape.kind === 'hazard' ? 3 : 2;
    return { row: this.shape.id, shape, called: WORDS[this.shape.kind], least };
  });

  /** Drag a shape: what follows is asked for as often as answers come. */
  drag(row: string, shape: Shape): void {
    this.dragged = { row, shape };
    if (this.busy) {
      this.again = () => this.drag(row, shape);
      return;
    }
    this.busy = true;
    const want: [PartName, string][] = this.zones
      .slice(0, MOST_ZONES)
      .map((zone) => ['zone.told', zone.id]);
    if (this.situation)
      want.push(['situation.told', this.situation.id], ['situation.unwrapped', this.situation.id]);
    void this.plant.tryOut(this.shaping(row, shape), 'Draw it', want).finally(() => {
      this.busy = false;
      const next = this.again;
      this.again = null;
      if (this.dragged) next?.();
    });
  }

  /** Leave it where it is. */
  async drop(): Promise<void> {
    const dragged = this.dragged;
    if (!dragged) return;
    this.again = null;
    await this.draw(dragged.row, dragged.shape);
    this.dragged = null;
  }

  /** Put it back. */
  cancel(): void {
    this.dragged = null;
    this.again = null;
    this.plant.endPreview();
  }

  async draw(row: string, shape: Shape): Promise<void> {
    const called = this.target?.row === row ? this.target.called : 'it';
    await this.edit(this.shaping(row, shape), `Draw ${called}`);
  }

  private shaping(row: string, shape: Shape): Edit {
    const values: Record<string, unknown> =
      this.plant.row('plan_shapes', row) && shape.kind === 'polygon'
        ? { 'settings.points': shape.points }
        : { 'settings.shape': shape };
    return { kind: 'set', ids: [row], values };
  }

  async edit(edit: Edit, label: string): Promise<string> {
    const answer = await this.plant.edit(edit, label).catch(() => null);
    return answer?.tags['$made'] ?? '';
  }

  async add(edit: Edit, label: string): Promise<void> {
    const made = await this.edit({ ...edit, tag: '$made' } as Edit, label);
    if (made) this.open(made);
  }

  used(situation: string, output: number): string {
    const uses = this.plant.list('zone_uses', 'situation', situation);
    return uses.find((use) => use.output === output)?.zone ?? '';
  }

  async use(situation: Row<'situations'>, output: number, zone: string): Promise<void> {
    const edit: Edit = { kind: 'use-zone', situation: situation.id, output, zone: zone || null };
    await this.edit(edit, `${situation.name}: zone of output ${output}`);
  }

  /** One scan that confirms more, or less. */
  async confirm(scans: number): Promise<void> {
    const own = this.current;
    if (!own) return;
    const edit: Edit = { kind: 'set', ids: [own.id], values: { 'settings.scans': scans } };
    await this.edit(edit, `${own.name}: ${scans} scans confirm`);
  }

  async remove(id: string, name: string): Promise<void> {
    await this.edit({ kind: 'remove', ids: [id] }, `Remove ${name}`);
    if (this.current) this.open(this.current.id);
  }
}
