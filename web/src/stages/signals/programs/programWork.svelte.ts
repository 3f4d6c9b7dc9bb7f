import { got, http, Problem, type Schemas } from '../../../api/client';
import type { PlantStore, Row } from '../../../plant/store.svelte';
import { NOTHING, type Beside } from './beside';

const CHECK_MS = 250;
const SAVE_MS = 1500;

/** What was typed and could not be kept when its page was left, by plant and program. */
const PARKED = new Map<string, { text: string; began: string }>();

/** The program that is worked on: its text as typed, what is wrong with it, and what its controller says of it. */
export class ProgramWork {
  /** What is typed and not kept yet; null for the plant's own text. */
  draft = $state<string | null>(null);
  checked = $state.raw<Schemas['CheckedTextOut'] | null>(null);
  problem = $state('');
  saving = $state(false);
  /** The plant's text that the draft began with. */
  private began = $state('');
  /** What was last given to be kept: the plant has it a moment later. */
  private sent = $state<string | null>(null);
  private checking = 0;
  private keeping = 0;
  private asked = 0;

  constructor(
    readonly plant: PlantStore,
    readonly id: string,
  ) {
    const parked = PARKED.get(this.name);
    if (!parked) return;
    PARKED.delete(this.name);
    this.began = parked.began;
    this.draft = parked.text;
    this.keeping = window.setTimeout(() => void this.save(), SAVE_MS);
  }

  private get name(): string {
    return `${this.plant.key}/${this.id}`;
  }

  readonly row = $derived.by((): Row<'programs'> | undefined =>
    this.plant.row('programs', this.id),
  );
  readonly text = $derived.by(() => this.draft ?? this.row?.text ?? '');
  /** Somebody else changed the text that is being changed here. */
  readonly overtaken = $derived.by(() => {
    const now = this.row?.text ?? '';
    return this.draft !== null && now !== this.began && now !== this.sent;
  });
  readonly told = $derived.by(() =>
    this.plant.bench.running
      ? this.plant.bench.state?.programs?.find((one) => one.id === this.id)
      : undefined,
  );
  /** The program whose fault stopped the controller, this one or another. */
  readonly stopped = $derived.by(() =>
    this.plant.bench.running
      ? this.plant.bench.state?.programs?.find(
          (one) => one.state === 'stopped' && one.controller === this.row?.controller,
        )
      : undefined,
  );
  readonly beside = $derived.by((): Beside => {
    const running = this.told;
    const checked = this.checked;
    // Of a text that cannot be read at all nothing new is known.
    const unread = checked !== null && checked.faults.length > 0 && !checked.uses.length;
    const uses = unread ? null : (checked?.uses ?? []);
    return {
      ...NOTHING,
      faults: checked?.faults ?? [],
      uses: running && running.state !== 'not translated' ? uses : [],
      stopped: running?.state === 'stopped' ? { line: running.line, text: running.text } : null,
      wrapped: running?.marked ?? [],
    };
  });

  typed(text: string): void {
    if (this.draft === null) this.began = this.row?.text ?? '';
    this.draft = text;
    this.problem = '';
    this.checkSoon();
    window.clearTimeout(this.keeping);
    this.keeping = window.setTimeout(() => void this.save(), SAVE_MS);
  }

  checkSoon(after = CHECK_MS): void {
    window.clearTimeout(this.checking);
    this.checking = window.setTimeout(() => void this.check(), after);
  }

  private async check(): Promise<void> {
    const number = ++this.asked;
    const params = { path: { key: this.plant.key, program_id: this.id } };
    try {
      const body = { text: this.text };
      const answer = await http.POST('/api/plants/{key}/programs/{program_id}/check', {
        params,
        body,
      });
      if (number === this.asked) this.checked = got(answer);
    } catch {
      // What is known of an earlier text stays until one can be checked again.
    }
  }

  /** Keep what is typed. While somebody else's change is not decided on, nothing is kept. */
  async save(anyway = false): Promise<void> {
    window.clearTimeout(this.keeping);
    const text = this.draft;
    if (text === null || this.saving || !this.row) return;
    if (text === this.row.text) {
      this.draft = null;
      return;
    }
    if (this.overtaken && !anyway) return;
    this.saving = true;
    this.sent = text;
    try {
      const edit = { kind: 'set' as const, ids: [this.id], values: { text } };
      await this.plant.edit(edit, `Text of ${this.row.name}`);
      if (PARKED.get(this.name)?.text === text) PARKED.delete(this.name);
    } catch (error) {
      this.problem = error instanceof Problem ? error.detail : String(error);
    } finally {
      this.saving = false;
    }
  }

  /** The plant's text is another: what is typed is kept, or changes what is new there. */
  follow(): void {
    const now = this.row?.text ?? '';
    if (now === this.draft) this.draft = null;
    if (now === this.sent) this.began = now;
  }

  /** What is typed is dropped for what the plant has. */
  drop(): void {
    window.clearTimeout(this.keeping);
    this.draft = null;
    this.problem = '';
    this.checkSoon(0);
  }

  leave(): void {
    window.clearTimeout(this.checking);
    window.clearTimeout(this.keeping);
    if (this.draft === null) return;
    // Until it is kept: it may be refused, or another save be under way, when nobody sees that any more.
    PARKED.set(this.name, { text: this.draft, began: this.began });
    if (!this.problem) void this.save();
  }
}
