import { got, http, Problem, upload, type Schemas } from '../../../api/client';
import { parseFilter } from '../../../kit/filter';
import { plural } from '../../../kit/numbers';
import type { PlantStore, Row } from '../../../plant/store.svelte';

export type Difference = Schemas['ListDifferenceOut'];
export type Decision = 'take' | 'leave';
type Sheet = Schemas['SheetOut'];

/** A new issue of a list on the table: what it says, what differs, and what was decided on so far. */
export class ListWork {
  sheet = $state.raw<Sheet | null>(null);
  headings = $state.raw<Schemas['ListHeading'][]>([]);
  /** The list whose new issue it is; null for a new one. */
  of = $state<string | null>(null);
  controller = $state('');
  names = $state('{tag}');
  again = $state(false);
  compared = $state.raw<Schemas['ComparisonOut'] | null>(null);
  decided = $state.raw<ReadonlyMap<string, Decision>>(new Map());
  words = $state('');
  at = $state(0);
  until = $state<number | null>(null);
  /** What is under way, for those who wait. */
  busy = $state('');
  problem = $state('');
  private apart = $state.raw<string[]>([]);
  private asked = 0;

  constructor(readonly plant: PlantStore) {}

  readonly shown = $derived.by(() => {
    const all = this.compared?.differences ?? [];
    if (!this.words.trim()) return all;
    const test = parseFilter(this.words);
    return all.filter((one) =>
      test({
        text: `${one.tag} ${one.name} ${one.label} ${one.old} ${one.new}`,
        keys: {
          kind: one.both ? `${one.kind} both` : one.kind,
          column: one.label,
          tag: one.tag,
          state: this.decided.get(one.id) ?? 'open',
        },
      }),
    );
  });
  readonly chosen = $derived.by(() => {
    const other = this.until ?? this.at;
    return this.shown.slice(Math.min(this.at, other), Math.max(this.at, other) + 1);
  });
  readonly taken = $derived.by(() => this.count('take'));
  readonly left = $derived.by(() => this.count('leave'));
  readonly undisputed = $derived.by(() =>
    this.shown.filter((one) => !one.both && one.kind !== 'renamed' && !this.decided.has(one.id)),
  );
  readonly open = $derived.by(
    () => (this.compared?.differences.length ?? 0) - this.taken - this.left,
  );

  private count(what: Decision): number {
    const there = this.compared?.differences ?? [];
    return there.filter((one) => this.decided.get(one.id) === what).length;
  }

  private issue(sheet: Sheet): Schemas['ListIssue'] {
    return {
      of: this.of,
      name: sheet.name,
      controller: this.controller || null,
      names: this.names,
      headings: this.headings,
      rows: sheet.rows,
      apart: this.apart,
      again: this.again,
    };
  }

  async read(file: File): Promise<void> {
    this.busy = `Reading ${file.name} …`;
    this.problem = '';
    try {
      const sheet = await upload<Sheet>(`/api/plants/${this.plant.key}/lists`, file);
      this.takeUp(sheet);
      await this.compare();
    } catch (error) {
      this.problem = said(error);
    } finally {
      this.busy = '';
    }
  }

  private takeUp(sheet: Sheet): void {
    this.sheet = sheet;
    this.headings = sheet.headings.map(({ text, key }) => ({ text, key }));
    this.decided = new Map();
    this.apart = [];
    this.again = false;
    this.words = '';
    this.compared = null;
    this.belong(sheet.of);
  }

  /** Whose new issue it is; a list knows where its signals go and how they are named. */
  belong(of: string | null): void {
    const list: Row<'lists'> | undefined = this.plant.row('lists', of);
    this.of = list?.id ?? null;
    this.controller = list?.controller ?? this.plant.list('controllers')[0]?.id ?? '';
    this.names = list?.names ?? '{tag}';
  }

  /** What a column holds; whichever held that before is only kept. */
  map(n: number, key: string): void {
    const kept = (i: number) => this.sheet?.headings[i]?.kept ?? '';
    this.headings = this.headings.map((heading, i) => {
      if (i === n) return { ...heading, key: key || (heading.text ? kept(i) : '') };
      return key && heading.key === key ? { ...heading, key: kept(i) } : heading;
    });
  }

  async compare(): Promise<void> {
    const sheet = this.sheet;
    if (!sheet) return;
    const number = ++this.asked;
    const path = { params: { path: { key: this.plant.key } } };
    try {
      const body = this.issue(sheet);
      const told = got(await http.POST('/api/plants/{key}/lists/issue', { ...path, body }));
      if (number !== this.asked) return;
      this.compared = told;
      this.problem = '';
      this.at = Math.min(this.at, Math.max(this.shown.length - 1, 0));
    } catch (error) {
      if (number === this.asked) this.problem = said(error);
    }
  }

  choose(n: number, extend = false): void {
    n = Math.max(0, Math.min(this.shown.length - 1, n));
    if (extend) this.until = n;
    else {
      this.at = n;
      this.until = null;
    }
  }

  /** Decide on what is chosen and go on; null makes it open again. */
  decide(what: Decision | null, rows: Difference[] = this.chosen, go = true): void {
    if (!this.plant.mayEdit) return;
    const next = new Map(this.decided);
    const split: string[] = [];
    for (const one of rows) {
      if (what === 'leave' && one.kind === 'renamed') split.push(one.id);
      else if (what) next.set(one.id, what);
      else next.delete(one.id);
      // A change of a line that is renamed is one only if it is that line.
      if (what === 'take' && one.within) next.set(one.within, 'take');
    }
    this.decided = next;
    if (go) this.choose(Math.max(this.at, this.until ?? this.at) + (split.length ? 0 : 1));
    if (split.length) {
      this.apart = [...this.apart, ...split];
      void this.compare();
    }
  }

  /** One edit for all that was decided on. */
  async take(): Promise<boolean> {
    const sheet = this.sheet;
    if (!sheet || !this.compared) return false;
    const those = (what: Decision) =>
      this.compared!.differences.filter((one) => this.decided.get(one.id) === what).map(
        (o) => o.id,
      );
    this.busy = `Taking ${sheet.name} …`;
    const known = new Set(this.plant.list('lists').map((list) => list.id));
    try {
      const edit = { ...this.issue(sheet), kind: 'take-list' as const };
      await this.plant.edit(
        { ...edit, taken: those('take'), left: those('leave') },
        `${sheet.name}: ${plural(this.taken, 'difference')} taken${this.left ? `, ${this.left} left` : ''}`,
      );
    } catch (error) {
      this.problem = said(error);
      return false;
    } finally {
      this.busy = '';
    }
    this.of ??= this.plant.list('lists').find((list) => !known.has(list.id))?.id ?? null;
    this.decided = new Map();
    await this.compare();
    return true;
  }

  putAway(): void {
    this.sheet = null;
    this.compared = null;
    this.problem = '';
  }
}

const said = (error: unknown) =>
  error instanceof Problem ? error.detail : 'The server cannot be reached.';

const works = new WeakMap<PlantStore, ListWork>();

/** What lies on the table stays there while one looks at the signals it speaks of. */
export function workOf(plant: PlantStore): ListWork {
  let work = works.get(plant);
  if (!work) works.set(plant, (work = new ListWork(plant)));
  return work;
}
