import { Problem, upload, type Edit, type Schemas } from '../../../api/client';
import { parseFilter } from '../../../kit/filter';
import { plural } from '../../../kit/numbers';
import type { PlantStore } from '../../../plant/store.svelte';

type Told = Schemas['SignalFileOut'];
export type Told1 = Told['signals'][number];

/** A file of signals beside the plant: what differs, and what of it is to be taken over. */
export class FileWork {
  file = $state.raw<File | null>(null);
  told = $state.raw<Told | null>(null);
  controller = $state('');
  words = $state('');
  /** What is not to be taken over; all else is. */
  left = $state.raw<ReadonlySet<string>>(new Set());
  busy = $state('');
  problem = $state('');
  done = $state('');

  constructor(readonly plant: PlantStore) {}

  readonly shown = $derived.by(() => {
    const all = this.told?.signals ?? [];
    if (!this.words.trim()) return all;
    const test = parseFilter(this.words);
    return all.filter((one) =>
      test({
        text: `${one.key} ${one.changes.map((c) => `${c.heading} ${c.old} ${c.new}`).join(' ')}`,
        keys: {
          kind: one.kind,
          column: one.changes.map((c) => c.heading).join(' '),
          row: String(one.row),
        },
      }),
    );
  });
  readonly taken = $derived.by(() =>
    (this.told?.signals ?? []).filter((one) => !this.left.has(one.key)),
  );

  async read(file: File): Promise<void> {
    this.busy = `Reading ${file.name} …`;
    this.problem = this.done = '';
    this.file = file;
    try {
      const at = `/api/plants/${this.plant.key}/signals/files?controller=${this.controller}`;
      this.told = await upload<Told>(at, file);
      this.left = new Set();
    } catch (error) {
      this.told = null;
      this.problem = said(error);
    } finally {
      this.busy = '';
    }
  }

  toggle(key: string, take: boolean) {
    const left = new Set(this.left);
    if (take) left.delete(key);
    else left.add(key);
    this.left = left;
  }

  /** All that the filter shows, taken or left. */
  toggleShown(take: boolean) {
    const left = new Set(this.left);
    for (const one of this.shown) {
      if (take) left.delete(one.key);
      else left.add(one.key);
    }
    this.left = left;
  }

  async take(): Promise<void> {
    const told = this.told;
    if (!told || !this.taken.length) return;
    const edits: Edit[] = told.structures.map((one) => ({
      kind: 'set-structure',
      of: null,
      name: one.name,
      members: one.members,
    }));
    edits.push({ kind: 'take-signals', signals: this.taken.map((one) => one.wanted) });
    const label = `Take ${plural(this.taken.length, 'signal')} from ${told.name}`;
    this.busy = `${label} …`;
    this.problem = '';
    try {
      await this.plant.edit({ kind: 'batch', edits }, label);
      this.told = this.file = null;
      this.done = `${label}: done. Undo takes it back.`;
    } catch (error) {
      this.problem = said(error);
    } finally {
      this.busy = '';
    }
  }
}

const said = (error: unknown) => (error instanceof Problem ? error.detail : String(error));
