import { got, http, type Edit } from '../../api/client';
import { plural } from '../../kit/numbers';
import { headOf } from '../../plant/rails';
import type { PlantStore } from '../../plant/store.svelte';
import { router } from '../../shell/router.svelte';
import { keepClip, type Clip } from './clips';

/** An edit, and what the history calls it. */
export type Labelled = { edit: Edit; label: string };

/** What is worked on at one rail: the seats chosen, and the edits that follow from them. Seats count from 0; -1 is the head. */
export class RailWork {
  at = $state(-1);
  until = $state<number | null>(null);
  placing = $state<'insert' | 'replace'>('insert');
  /** The module just placed: while one goes on placing, the next one goes behind it. */
  placed = $state('');
  /** What was copied last, in words. */
  copied = $state('');

  constructor(
    readonly plant: PlantStore,
    private readonly asked: () => string,
  ) {}

  readonly rail = $derived.by(
    () => this.plant.row('rails', this.asked()) ?? this.plant.list('rails').at(0),
  );
  readonly head = $derived.by(() => headOf(this.plant, this.rail));
  readonly mounting = $derived.by(() =>
    this.rail ? this.plant.part('rail.mounting', this.rail.id) : undefined,
  );
  readonly seats = $derived.by(() => this.mounting?.seats ?? []);
  readonly seat = $derived.by(() => this.seats[this.at]);
  /** The numbers of the seats chosen, in order. */
  readonly range = $derived.by(() => {
    const other = this.until ?? this.at;
    const from = Math.min(this.at, other);
    const to = Math.max(this.at, other);
    return Array.from({ length: to - from + 1 }, (_, n) => from + n);
  });
  /** The modules chosen; open seats have none. */
  readonly ids = $derived.by(() => this.range.flatMap((n) => this.seats[n]?.module ?? []));
  /** The seat before which the next module goes. */
  readonly next = $derived.by(() => {
    const behind = this.placed ? this.seats.findIndex((s) => s.module === this.placed) : -1;
    return behind >= 0 ? behind + 1 : this.at < 0 ? this.seats.length : this.at;
  });

  /** Go to an object's own address within this rail. */
  show(id = '') {
    const place = `/p/${this.plant.key}/hardware/${this.rail?.id}`;
    router.go(id ? `${place}/${id}` : place, { replace: true });
  }

  choose(n: number, extend = false) {
    this.placed = '';
    this.until = extend ? n : null;
    if (!extend) this.at = n;
    this.placing = 'insert';
    this.plant.endPreview();
    const chosen = n < 0 && this.head ? [this.head.id] : this.ids;
    this.plant.select(...chosen);
    this.show(chosen.length === 1 ? chosen[0] : '');
  }

  chooseAll() {
    this.choose(0);
    this.choose(this.seats.length - 1, true);
  }

  /** An address that names an object opens it; a finding elsewhere brings one here that way. */
  arrive(id: string) {
    if (!this.seats.length) return;
    const found = this.seats.findIndex((s) => s.module === id);
    if (found >= 0) {
      this.at = found;
      this.plant.select(id);
    } else if (id && (this.plant.row('controllers', id) ?? this.plant.row('stations', id))) {
      this.at = -1;
      this.plant.select(id);
    } else if (this.at >= this.seats.length) this.at = this.seats.length - 1;
    else if (this.at === -1 && !id) this.at = this.seats.findIndex((s) => s.kind === 'module');
  }

  /** Where something dropped on seat or gap `n` goes. */
  target(n: number): { before: string | null; slot: number | null } {
    if (this.mounting?.addressed) return { before: null, slot: this.seats[n]?.slot ?? null };
    return { before: this.seats[n]?.module ?? null, slot: null };
  }

  private nameOf = (type: string) => this.plant.type(type)?.name ?? type;

  insertion(type: string, n: number): Labelled {
    const slot = this.seats[n]?.slot;
    return {
      edit: {
        kind: 'insert-modules',
        rail: this.rail!.id,
        type,
        count: 1,
        tag: '$new',
        ...this.target(n),
      },
      label: `Insert ${this.nameOf(type)}${slot ? ` in slot ${slot}` : ''}`,
    };
  }

  /** What a type picked from the shelf would do now. */
  pending(type: string): Labelled {
    const seat = this.seat;
    if (this.placing !== 'replace' || !seat?.module) return this.insertion(type, this.next);
    return {
      edit: { kind: 'replace-module', id: seat.module, type },
      label: `Replace ${seat.label} by ${this.nameOf(type)}`,
    };
  }

  /** Modules taken to a seat or gap. */
  moving(ids: string[], n: number): Labelled {
    return {
      edit: { kind: 'move-modules', ids, rail: this.rail!.id, ...this.target(n) },
      label: `Move ${plural(ids.length, 'module')}`,
    };
  }

  /** Make an edit; null when it was refused, which the plant's own bar shows. */
  made({ edit, label }: Labelled) {
    return this.plant.edit(edit, label).catch(() => null);
  }

  /** Place a type; true when a module was made, so that one can go on placing. */
  async pick(type: string): Promise<boolean> {
    const answer = await this.made(this.pending(type));
    this.placing = 'insert';
    const made = answer?.tags['$new'];
    if (!made) return false;
    this.show(made);
    this.placed = made;
    return true;
  }

  /** Move what is chosen by one seat. */
  async move(by: 1 | -1) {
    const ids = this.ids;
    const first = this.range[0] ?? 0;
    const last = this.range.at(-1) ?? 0;
    if (!ids.length || !this.rail || first + by < 0) return;
    const what = this.moving(ids, by < 0 ? first - 1 : last + 2);
    if (this.mounting?.addressed)
      what.edit = {
        kind: 'move-modules',
        ids,
        rail: this.rail.id,
        slot: (this.seats[first]?.slot ?? 1) + by,
        before: null,
      };
    await this.made(what);
    this.show(ids[0]);
    // The seat follows the module once the rail has been computed anew.
    this.at = Math.max(0, Math.min(this.seats.length - 1, this.at + by));
  }

  private get chosenInWords(): string {
    return this.ids.length > 1 ? plural(this.ids.length, 'module') : (this.seat?.label ?? '');
  }

  async duplicate() {
    const edits = this.ids.map((id) => ({ kind: 'duplicate' as const, id }));
    const edit: Edit = edits.length === 1 ? edits[0]! : { kind: 'batch', edits };
    await this.made({ edit, label: `Duplicate ${this.chosenInWords}` });
  }

  async remove() {
    await this.made({
      edit: { kind: 'remove', ids: this.ids },
      label: `Remove ${this.chosenInWords}`,
    });
  }

  /** Copy what is chosen, so that it can be pasted on any rail of any plant in this browser. */
  async copy() {
    const modules = this.ids;
    const ids = modules.length ? modules : this.rail ? [this.rail.id] : [];
    const path = { params: { path: { key: this.plant.key } } };
    const answer = await http.POST('/api/plants/{key}/clip', { ...path, body: { ids } });
    if (!answer.response.ok) return;
    keepClip(got(answer) as Clip);
    this.copied = modules.length ? plural(modules.length, 'module') : 'the whole rail';
  }

  async paste(clip: Clip | null) {
    if (!clip || !this.rail || !this.plant.mayEdit) return;
    const n = this.at < 0 ? this.seats.length : this.at;
    const count = clip.rows.filter((row) => row.table === 'modules').length;
    await this.made({
      edit: { kind: 'paste', clip, into: this.rail.id, ...this.target(n) },
      label: `Paste ${plural(count, 'module')}`,
    });
    this.copied = '';
  }
}
