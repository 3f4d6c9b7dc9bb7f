import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { http } from '../../src/api/client';
import type { BenchState } from '../../src/plant/bench.svelte';
import { FakePlant } from '../fakePlant';

const state = (more: object = {}) =>
  ({ state: 'running', revision: 7, time_s: 10, stations: [], ...more }) as unknown as BenchState;

let plant: FakePlant;
const posted: { path: string; body: Record<string, unknown>; done: (ok?: boolean) => void }[] = [];

beforeEach(() => {
  vi.useFakeTimers();
  posted.length = 0;
  plant = new FakePlant();
  vi.spyOn(plant, 'streamId', 'get').mockReturnValue('stream-1');
  vi.spyOn(http, 'POST').mockImplementation(
    ((path: string, { body }: { body: never }) =>
      new Promise((done, failed) =>
        posted.push({
          path,
          body,
          done: (ok = true) =>
            ok ? done({ response: { ok: true }, data: state() }) : failed(new Error('away')),
        }),
      )) as never,
  );
});
afterEach(() => {
  plant.close();
  vi.restoreAllMocks();
  vi.useRealTimers();
});
const settle = () => vi.advanceTimersByTimeAsync(0);
const followed = () => posted.map((p) => (p.body.signals as string[]).join());

describe('what is followed', () => {
  it('is asked for once, and only while the bench runs', async () => {
    plant.bench.follow(['g1']);
    expect(posted).toEqual([]);
    plant.bench.told(state());
    plant.bench.follow(['g1', 'g2']);
    plant.bench.follow(['g1', 'g2']);
    await settle();
    expect(followed()).toEqual(['g1,g2']);
    expect(posted[0]!.body).toMatchObject({ stream: 'stream-1', state: false });
  });

  it('is asked for one after the other, and of what came meanwhile only the last', async () => {
    plant.bench.told(state());
    for (const ids of [['g1'], ['g2'], ['g3']]) plant.bench.follow(ids);
    await settle();
    expect(followed()).toEqual(['g1']);
    posted[0]!.done();
    await settle();
    expect(followed()).toEqual(['g1', 'g3']);
  });

  it('is asked for again after it failed', async () => {
    plant.bench.told(state());
    plant.bench.follow(['g1']);
    posted[0]!.done(false);
    await settle();
    plant.bench.follow();
    await settle();
    expect(followed()).toEqual(['g1', 'g1']);
  });

  it('has the state with it while some view shows it', async () => {
    plant.bench.told(state());
    const [one, other] = [plant.bench.watched(), plant.bench.watched()];
    posted[0]!.done();
    await settle();
    expect(posted.map((p) => p.body.state)).toEqual([true]);
    one();
    await settle();
    expect(posted).toHaveLength(1);
    other();
    await settle();
    expect(posted.map((p) => p.body.state)).toEqual([true, false]);
  });
});

describe('the state', () => {
  it.each([
    [{ time_s: 9 }, 10],
    [{ time_s: 11 }, 11],
    [{ time_s: 1, revision: 8 }, 1],
  ])('told as %j leaves %i s', (more, time) => {
    plant.bench.told(state());
    plant.bench.told(state(more));
    expect(plant.bench.state?.time_s).toBe(time);
  });

  it('is old without news, without the server, and when it does not run', async () => {
    plant.bench.told(state());
    plant.bench.received({ t: 1, i: [], v: [], q: [], r: [], e: [] });
    expect(plant.bench.frozen).toBe(false);
    plant.connected = false;
    expect(plant.bench.frozen).toBe(true);
    plant.connected = true;
    await vi.advanceTimersByTimeAsync(1500);
    expect(plant.bench.frozen).toBe(false);
    await vi.advanceTimersByTimeAsync(250);
    expect(plant.bench.frozen).toBe(true);
    plant.bench.received({ t: 2, i: [], v: [], q: [], r: [], e: [] });
    plant.bench.told(state({ state: 'idle', time_s: 12 }));
    expect(plant.bench.frozen).toBe(true);
  });
});

describe('values', () => {
  const news = (t: number, v: unknown[]) => ({
    t,
    i: v.map((_, n) => `g${n}`),
    v,
    q: v.map(() => 'good'),
    r: v.map((one) => (typeof one === 'number' ? 10 * one : null)),
    e: v.map(() => ''),
  });

  it('stand beside their counts, and those without news stay', () => {
    plant.bench.received(news(1, [1.5, true]));
    plant.bench.received(news(2, [2.5]));
    expect(plant.bench.values.get('g0')).toMatchObject({ value: 2.5, raw: 25, at: 2 });
    expect(plant.bench.values.get('g1')).toMatchObject({ value: true, raw: null, at: 1 });
  });

  it('leave a trend of what is looked at, as long as it is kept', () => {
    plant.bench.follow(['g0', 'g1']);
    for (let t = 0; t < 310; t++) plant.bench.received(news(t, [t, null]));
    const trend = plant.bench.trends.get('g0')!;
    expect([trend.length, trend[0], trend.at(-1)]).toEqual([
      300,
      { t: 10, v: 10 },
      { t: 309, v: 309 },
    ]);
    expect(plant.bench.trends.has('g1')).toBe(false);
  });
});
