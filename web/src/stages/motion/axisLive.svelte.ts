import { got, http, Problem, type Schemas } from '../../api/client';
import { Looked } from '../../kit/looked.svelte';
import type { PlantStore } from '../../plant/store.svelte';
import { doSafely } from '../safety/safetyLive.svelte';

type Do = Schemas['AxisDoIn'];
const LOOK_MS = 150;
const HOLD_MS = 100;

/**
 * An axis on the bench as one who looks at it sees it. A jog is said again and again as long as the key or the button is
 * held; whoever leaves the page, or looks elsewhere, lets go.
 */
export class AxisLive extends Looked<Schemas['AxisLiveOut']> {
  private holding = 0;
  readonly #at;

  constructor(
    private readonly plant: PlantStore,
    private readonly axis: string,
  ) {
    const at = { params: { path: { key: plant.key, axis_id: axis } } };
    super(async () => got(await http.GET('/api/plants/{key}/bench/axes/{axis_id}', at)), LOOK_MS);
    this.#at = at;
  }

  override follow(): () => void {
    const over = super.follow();
    const letGo = () => this.letGo();
    window.addEventListener('blur', letGo);
    document.addEventListener('visibilitychange', letGo);
    return () => {
      over();
      window.removeEventListener('blur', letGo);
      document.removeEventListener('visibilitychange', letGo);
      this.letGo();
    };
  }

  /** Whatever holds its motor's supply off: acknowledged, reset and started by hand. */
  restartSafety(): Promise<void> {
    const controller = this.plant.row('axes', this.axis)?.controller ?? '';
    return this.did(async () => {
      await doSafely(this.plant, controller, { row: controller, do: 'restart' });
      return null;
    });
  }

  async do(what: Pick<Do, 'do'> & Partial<Do>): Promise<void> {
    const body: Do = { distance: '0', speed: '0', acceleration: '0', absolute: false, ...what };
    const asked = { ...this.#at, body };
    await this.did(async () =>
      got(await http.POST('/api/plants/{key}/bench/axes/{axis_id}', asked)),
    );
    if (this.problem) this.letGo();
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
      const answer = await http.POST('/api/plants/{key}/bench/axes/{axis_id}/tape', this.#at);
      return got(answer).at;
    } catch (error) {
      this.problem = error instanceof Problem ? error.detail : '';
      return null;
    }
  }
}
