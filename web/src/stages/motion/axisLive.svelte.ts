import { got, http, Problem, type Schemas } from '../../api/client';
import type { PlantStore } from '../../plant/store.svelte';

type Do = Schemas['AxisDoIn'];
const LOOK_MS = 150;
const HOLD_MS = 100;

/**
 * An axis on the bench as one who looks at it sees it. A jog is said again and again as long as the key or the button is
 * held; whoever leaves the page, or looks elsewhere, lets go.
 */
export class AxisLive {
  told = $state.raw<Schemas['AxisLiveOut'] | null>(null);
  problem = $state('');
  private timer = 0;
  private holding = 0;
  private busy = false;

  constructor(
    private readonly plant: PlantStore,
    private readonly axis: string,
  ) {}

  private get at() {
    return { params: { path: { key: this.plant.key, axis_id: this.axis } } };
  }

  /** Look again and again, until what it gives back is called. */
  follow(): () => void {
    const look = async () => {
      if (this.busy || document.hidden) return;
      this.busy = true;
      try {
        const answer = await http.GET('/api/plants/{key}/bench/axes/{axis_id}', this.at);
        this.told = got(answer);
      } catch {
        this.told = null;
      } finally {
        this.busy = false;
      }
    };
    void look();
    this.timer = window.setInterval(() => void look(), LOOK_MS);
    const letGo = () => this.letGo();
    window.addEventListener('blur', letGo);
    document.addEventListener('visibilitychange', letGo);
    return () => {
      window.clearInterval(this.timer);
      window.removeEventListener('blur', letGo);
      document.removeEventListener('visibilitychange', letGo);
      this.letGo();
    };
  }

  /** Whatever holds its motor's supply off: acknowledged, reset and started by hand. */
  async restartSafety(): Promise<void> {
    const controller_id = this.plant.row('axes', this.axis)?.controller ?? '';
    const params = { path: { key: this.plant.key, controller_id } };
    try {
      await http.POST('/api/plants/{key}/bench/safety/{controller_id}', {
        params,
        body: { row: controller_id, do: 'restart' },
      });
      this.problem = '';
    } catch (error) {
      this.problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }

  async do(what: Pick<Do, 'do'> & Partial<Do>): Promise<void> {
    try {
      const body: Do = { distance: '0', speed: '0', acceleration: '0', absolute: false, ...what };
      const answer = await http.POST('/api/plants/{key}/bench/axes/{axis_id}', {
        ...this.at,
        body,
      });
      this.told = got(answer);
      this.problem = '';
    } catch (error) {
      this.problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
      this.letGo();
    }
  }

  /** Do a move and wait until it is over: whether it came to its end. */
  async moved(what: Pick<Do, 'distance' | 'speed' | 'acceleration'>): Promise<boolean> {
    await this.do({ do: 'move', ...what });
    while (!this.problem && this.told?.state === 'moving')
      await new Promise((over) => window.setTimeout(over, LOOK_MS));
    return !this.problem && this.told?.out === 'Done';
  }

  /** Jog at a speed until it is let go. */
  hold(speed: number): void {
    this.letGo();
    const say = () => void this.do({ do: 'jog', speed: String(speed) });
    say();
    this.holding = window.setInterval(say, HOLD_MS);
  }

  letGo(): void {
    if (!this.holding) return;
    window.clearInterval(this.holding);
    this.holding = 0;
    void this.do({ do: 'stop' });
  }

  /** Where the load really is. */
  async tape(): Promise<number | null> {
    try {
      const answer = await http.POST('/api/plants/{key}/bench/axes/{axis_id}/tape', this.at);
      return got(answer).at;
    } catch (error) {
      this.problem = error instanceof Problem ? error.detail : '';
      return null;
    }
  }
}
