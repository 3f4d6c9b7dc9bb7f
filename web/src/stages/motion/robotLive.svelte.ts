import { got, http, Problem, type Schemas } from '../../api/client';
import type { PlantStore } from '../../plant/store.svelte';

type Do = Schemas['RobotDoIn']['do'];
const LOOK_MS = 150;

/** A robot on the bench as one who looks at it sees it. */
export class RobotLive {
  told = $state.raw<Schemas['RobotLiveOut'] | null>(null);
  problem = $state('');
  private busy = false;

  constructor(
    private readonly plant: PlantStore,
    private readonly robot: string,
  ) {}

  private get at() {
    return { params: { path: { key: this.plant.key, robot_id: this.robot } } };
  }

  /** Look again and again, until what it gives back is called. */
  follow(): () => void {
    const look = async () => {
      if (this.busy || document.hidden) return;
      this.busy = true;
      try {
        this.told = got(await http.GET('/api/plants/{key}/bench/robots/{robot_id}', this.at));
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

  async do(what: Do): Promise<void> {
    try {
      const answer = await http.POST('/api/plants/{key}/bench/robots/{robot_id}', {
        ...this.at,
        body: { do: what },
      });
      this.told = got(answer);
      this.problem = '';
    } catch (error) {
      this.problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }
}
