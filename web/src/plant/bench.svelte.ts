import { got, http, type Schemas } from '../api/client';
import type { PlantStore } from './store.svelte';

export type BenchState = Schemas['BenchOut'];
/** A value with what stands beside it: its counts, and what is at its terminals, in words. */
export type LiveValue = {
  value: number | boolean | null;
  quality: string;
  at: number;
  raw: number | null;
  electrical: string;
};
type News = {
  t: number;
  i: string[];
  v: LiveValue['value'][];
  q: string[];
  r: (number | null)[];
  e: string[];
};
const TREND_LENGTH = 300;
/** Without news for this long a value is old, and is shown as such. */
const OLD_MS = 1500;

/** The bench of a plant: its state, and the values of what is followed. */
export class Bench {
  state = $state.raw<BenchState | null>(null);
  values = $state.raw<Map<string, LiveValue>>(new Map());
  /** Whether it goes on. What depends on that alone is left in peace by a state that comes ten times a second. */
  readonly running = $derived(this.state?.state === 'running');
  /** Virtual time of the last news, s, and when it came. */
  time = $state(0);
  newsAt = $state(0);
  now = $state(Date.now());
  readonly trends = new Map<string, { t: number; v: number }[]>();
  private shown: string[] = [];
  /** How many views show the state as it goes. */
  private watchers = 0;
  private posted = '';
  private wanted: Schemas['FollowIn'] | null = null;
  private asking = false;
  private asked = 0;
  private applied = 0;
  private readonly clock: number;

  constructor(private readonly plant: PlantStore) {
    this.clock = window.setInterval(() => (this.now = Date.now()), 250);
  }

  close(): void {
    window.clearInterval(this.clock);
  }

  private get path() {
    return { params: { path: { key: this.plant.key } } };
  }

  /** Whether what is shown is not the present any more. */
  get frozen(): boolean {
    return !this.running || !this.plant.connected || this.now - this.newsAt > OLD_MS;
  }

  get ageSeconds(): number {
    return this.newsAt ? Math.max(0, (this.now - this.newsAt) / 1000) : Infinity;
  }

  /** The state, unless one that was asked for later is here already: answers may overtake each other. */
  private async newest(ask: () => Promise<BenchState>): Promise<void> {
    const number = ++this.asked;
    const state = await ask();
    if (number < this.applied) return;
    this.applied = number;
    this.state = state;
  }

  /** Ask anew; without the server what is known stays, and is shown as old. */
  async refresh(): Promise<void> {
    try {
      await this.newest(async () => got(await http.GET('/api/plants/{key}/bench', this.path)));
    } catch {
      // The connection's own state is shown by the top line.
    }
  }

  async download(): Promise<void> {
    this.values = new Map();
    this.trends.clear();
    this.state = got(await http.POST('/api/plants/{key}/bench', this.path));
    this.posted = '';
    this.follow();
  }

  async stop(): Promise<void> {
    this.state = got(await http.DELETE('/api/plants/{key}/bench', this.path));
  }

  async command(body: Schemas['CommandIn']): Promise<void> {
    const path = '/api/plants/{key}/bench/command';
    await this.newest(async () => got(await http.POST(path, { ...this.path, body })));
  }

  /** What is known of a device's objects, by index and subindex. */
  async objects(row: string): Promise<Schemas['ObjectLiveOut'][]> {
    const path = { ...this.path.params.path, row };
    const answer = await http.GET('/api/plants/{key}/bench/objects/{row}', { params: { path } });
    return got(answer).values;
  }

  /** The signals that are visible now; the server sends only these. */
  follow(signals: string[] = this.shown): void {
    this.shown = signals;
    const stream = this.plant.streamId;
    const state = this.watchers > 0;
    const wanted = `${stream}:${state}:${signals.join()}`;
    if (!stream || wanted === this.posted || !this.running) return;
    this.posted = wanted;
    this.wanted = { stream, tab: this.plant.tab, signals, state };
    if (!this.asking) void this.ask();
  }

  /** The state is shown from now on, as it goes; what is returned ends it. */
  watched(): () => void {
    this.watchers++;
    this.follow();
    return () => {
      this.watchers--;
      this.follow();
    };
  }

  /** The state as the stream has it, unless an answer has brought a later one. */
  told(state: BenchState): void {
    const now = this.state;
    const older = now && now.revision === state.revision && (state.time_s ?? 0) < (now.time_s ?? 0);
    if (!older) this.state = state;
  }

  /** One request after the other: two at once may overtake each other, and the older list would stay. */
  private async ask(): Promise<void> {
    this.asking = true;
    while (this.wanted) {
      const body = this.wanted;
      this.wanted = null;
      try {
        await http.POST('/api/plants/{key}/bench/follow', { ...this.path, body });
      } catch {
        this.posted = '';
      }
    }
    this.asking = false;
  }

  received(data: Record<string, unknown>): void {
    const { t, i, v, q, r, e } = data as News;
    const values = new Map(this.values);
    i.forEach((id, n) => {
      const value = v[n] ?? null;
      values.set(id, {
        value,
        quality: q[n] ?? '',
        at: t,
        raw: r[n] ?? null,
        electrical: e[n] ?? '',
      });
    });
    this.values = values;
    this.time = t;
    this.newsAt = Date.now();
    for (const id of this.shown) {
      const value = values.get(id)?.value;
      if (value === null || value === undefined) continue;
      const trend = this.trends.get(id) ?? [];
      trend.push({ t, v: Number(value) });
      if (trend.length > TREND_LENGTH) trend.shift();
      this.trends.set(id, trend);
    }
  }
}
