import { got, http, Problem, type Schemas } from '../../api/client';
import type { PlantStore } from '../../plant/store.svelte';

export type Copy = Schemas['CopyTold'];
type What = 'write' | 'take' | 'save' | 'restart';
const LABELS: Record<What, string> = {
  write: 'Write to the drive of',
  take: 'Take from the drive of',
  save: 'Save in the drive of',
  restart: 'Restart the drive of',
};

/** What of an axis is not alike in the project, in the controller and in its drive. */
export class Copies {
  told = $state.raw<Schemas['CopiesTold'] | null>(null);
  problem = $state('');
  private count = 0;

  constructor(
    private readonly plant: PlantStore,
    private readonly axis: string,
  ) {}

  async ask(): Promise<void> {
    const mine = ++this.count;
    try {
      const path = { key: this.plant.key, axis_id: this.axis };
      const answer = await http.GET('/api/plants/{key}/axes/{axis_id}/copies', {
        params: { path },
      });
      if (mine === this.count) this.told = got(answer);
    } catch (error) {
      if (mine === this.count)
        this.problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }

  async do(what: What, keys: string[] = []): Promise<void> {
    const name = this.plant.row('axes', this.axis)?.name ?? '';
    const edit = { kind: 'drive-copies' as const, axis: this.axis, do: what, keys };
    await this.plant.edit(edit, `${LABELS[what]} ${name}`).catch(() => {});
  }
}
