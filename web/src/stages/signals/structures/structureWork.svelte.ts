import { Problem, type Edit } from '../../../api/client';
import { plural } from '../../../kit/numbers';
import type { PlantStore, Row } from '../../../plant/store.svelte';

/** A member as it is typed; `was` is what it is called in the plant, "" for a new one. */
export type Member = { name: string; type: string; unit: string; note: string; was: string };

const NEW: Member = { name: '', type: '', unit: '', note: '', was: '' };

type Kept = { name: string; type: string; unit?: string; note?: string };

/** The structure that is worked on: its members as typed, until they are taken over with all variables of it. */
export class StructureWork {
  chosen = $state('');
  /** While a new one is made, what is chosen is none. */
  making = $state(false);
  name = $state('');
  members = $state<Member[]>([]);
  problem = $state('');
  private shown = '';

  constructor(readonly plant: PlantStore) {}

  readonly all = $derived.by(() => this.plant.list('structures'));
  readonly row = $derived.by(() =>
    this.making ? undefined : (this.all.find((one) => one.id === this.chosen) ?? this.all[0]),
  );
  readonly variables = $derived.by(
    () => this.plant.part('structure.variables', this.row?.id ?? '')?.variables ?? [],
  );
  /** Variables made of several signals that are of no declared structure, and could be. */
  readonly undeclared = $derived.by(() =>
    this.plant
      .list('controllers')
      .flatMap((controller) =>
        (this.plant.part('controller.variables', controller.id)?.variables ?? [])
          .filter((told) => told.members.length)
          .map((told) => ({ ...told, controller: controller.name })),
      ),
  );
  readonly changed = $derived.by(
    () =>
      this.making ||
      this.name !== (this.row?.name ?? '') ||
      JSON.stringify(this.typed) !== JSON.stringify(membersOf(this.row)),
  );
  /** The members that are typed, without the empty last line. */
  private readonly typed = $derived.by(() =>
    this.members.filter((m) => m.name.trim() || m.type.trim()),
  );

  /** Show what the plant has, when that is another than what was shown. */
  follow() {
    const now = this.row ? `${this.row.id} ${this.row.name} ${JSON.stringify(this.row.shape)}` : '';
    if (this.making || now === this.shown) return;
    this.shown = now;
    this.reset();
  }

  reset() {
    this.making = false;
    this.problem = '';
    this.name = this.row?.name ?? '';
    this.members = [...membersOf(this.row), { ...NEW }];
  }

  choose(id: string) {
    this.making = false;
    this.chosen = id;
  }

  make(name = '', members: { name: string; type: string }[] = []) {
    this.making = true;
    this.shown = '';
    this.problem = '';
    this.name = name;
    this.members = [...members.map((m) => ({ ...NEW, ...m })), { ...NEW }];
  }

  /** There is always an empty line behind the last. */
  typing() {
    const last = this.members.at(-1);
    if (!last || last.name || last.type) this.members.push({ ...NEW });
  }

  remove(n: number) {
    this.members.splice(n, 1);
    this.typing();
  }

  move(n: number, by: number) {
    const to = n + by;
    if (to < 0 || to >= this.members.length - 1) return;
    const [member] = this.members.splice(n, 1);
    this.members.splice(to, 0, member!);
  }

  /** The members that would go, with the signals that they are. */
  readonly lost = $derived.by(() => {
    const kept = new Set(this.typed.map((m) => m.was));
    return membersOf(this.row).filter((m) => !this.making && !kept.has(m.was));
  });

  async save() {
    const edit: Edit = {
      kind: 'set-structure',
      of: this.row?.id ?? null,
      name: this.name.trim(),
      members: this.typed,
      tag: '$structure',
    };
    const label = this.row ? `Structure ${this.name}` : `Declare ${this.name}`;
    await this.done(async () => {
      const answer = await this.plant.edit(edit, label);
      this.making = false;
      this.chosen = answer?.tags['$structure'] ?? this.chosen;
      this.shown = '';
      this.follow();
    });
  }

  async forget() {
    const row = this.row;
    if (!row) return;
    await this.done(async () => {
      await this.plant.edit({ kind: 'remove', ids: [row.id] }, `No longer declare ${row.name}`);
    });
  }

  /** A variable of it, or an array of such. */
  async use(controller: string, name: string, count: number) {
    const type = count > 1 ? `ARRAY[1..${count}] OF ${this.row?.name}` : (this.row?.name ?? '');
    const rows = [{ name, type }];
    return this.done(async () => {
      await this.plant.edit(
        { kind: 'paste-signals', controller, rows },
        `Add ${name}${count > 1 ? `, ${plural(count, 'element')}` : ''}`,
      );
    });
  }

  private async done(work: () => Promise<void>): Promise<boolean> {
    this.problem = '';
    try {
      await work();
      return true;
    } catch (error) {
      this.problem = error instanceof Problem ? error.detail : String(error);
      return false;
    }
  }
}

function membersOf(row: Row<'structures'> | undefined): Member[] {
  const members = ((row?.shape as { members?: Kept[] } | undefined)?.members ?? []) as Kept[];
  return members.map((m) => ({ ...NEW, ...m, was: m.name }));
}
