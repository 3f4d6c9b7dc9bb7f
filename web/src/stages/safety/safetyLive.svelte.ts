import { got, http, Problem, type Schemas } from '../../api/client';
import type { PlantStore } from '../../plant/store.svelte';

export type SafetyDo = Schemas['SafetyDoIn']['do'];
const LOOK_MS = 200;

/** The safety of a controller on the bench as one who looks at it sees it. */
export class SafetyLive {
  told = $state.raw<Schemas['SafetyLiveOut'] | null>(null);
  problem = $state('');
  private busy = false;

  constructor(
    private readonly plant: PlantStore,
    private readonly controller: string,
  ) {}

  private get at() {
    return { params: { path: { key: this.plant.key, controller_id: this.controller } } };
  }

  /** Look again and again, until what it gives back is called. */
  follow(): () => void {
    const look = async () => {
      if (this.busy || document.hidden || !this.plant.bench.running) return;
      this.busy = true;
      try {
        this.told = got(await http.GET('/api/plants/{key}/bench/safety/{controller_id}', this.at));
      } catch {
        this.told = null;
      } finally {
        this.busy = false;
      }
    };
    void look();
    const timer = window.setInterval(() => void look(), LOOK_MS);
    return () => window.clearInterval(timer);
  }

  async do(
    row: string,
    what: SafetyDo,
    value: Schemas['SafetyDoIn']['value'] = null,
  ): Promise<void> {
    try {
      const answer = await http.POST('/api/plants/{key}/bench/safety/{controller_id}', {
        ...this.at,
        body: { row, do: what, value },
      });
      this.told = got(answer);
      this.problem = '';
    } catch (error) {
      this.problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }
}
