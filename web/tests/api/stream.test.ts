import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Stream, type StreamEvent } from '../../src/api/stream';

/** A browser with several tabs: one channel between them, one lock, and streams that can be spoken on. */
class Source {
  static readonly OPEN = 1;
  static all: Source[] = [];
  readyState = 0;
  closed = false;
  onerror: () => void = () => {};
  private readonly listeners = new Map<string, (message: { data: string }) => void>();
  constructor(readonly url: string) {
    Source.all.push(this);
  }
  addEventListener(name: string, listener: (message: { data: string }) => void) {
    this.listeners.set(name, listener);
  }
  close() {
    this.closed = true;
  }
  say(name: string, data: Record<string, unknown> = {}) {
    this.readyState = Source.OPEN;
    this.listeners.get(name)!({ data: JSON.stringify(data) });
  }
  static get open(): Source {
    const open = Source.all.filter((source) => !source.closed);
    expect(open).toHaveLength(1);
    return open[0]!;
  }
  static get wanted(): string[] {
    return new URL(Source.open.url, 'http://localhost').searchParams
      .get('plants')!
      .split(',')
      .sort();
  }
}

class Channel {
  static all = new Set<Channel>();
  onmessage: (message: { data: unknown }) => void = () => {};
  constructor() {
    Channel.all.add(this);
  }
  postMessage(data: unknown) {
    for (const other of Channel.all) if (other !== this) other.onmessage({ data });
  }
  close() {
    Channel.all.delete(this);
  }
}

let queue: (() => void)[] = [];
let held = false;
const locks = {
  request: (_: string, { signal }: { signal: AbortSignal }, work: () => Promise<void>) =>
    new Promise<void>((done, failed) => {
      const run = () => {
        if (signal.aborted) return queue.shift()?.();
        held = true;
        void work().then(() => {
          held = false;
          queue.shift()?.();
          done();
        });
      };
      signal.addEventListener('abort', () => failed(new Error('aborted')));
      if (held) queue.push(run);
      else run();
    }),
};

type Tab = { stream: Stream; heard: StreamEvent[]; states: boolean[]; revision: number };
const tabs: Tab[] = [];

function tab(plant: string, revision = 1): Tab {
  const made = { heard: [], states: [], revision } as unknown as Tab;
  made.stream = new Stream(
    plant,
    () => made.revision,
    (event) => made.heard.push(event),
    (connected) => made.states.push(connected),
  );
  tabs.push(made);
  return made;
}
const settle = () => vi.advanceTimersByTimeAsync(0);

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal('EventSource', Source);
  vi.stubGlobal('BroadcastChannel', Channel);
  vi.stubGlobal('navigator', { locks });
});
afterEach(async () => {
  for (const one of tabs.splice(0)) one.stream.close();
  await settle();
  Source.all = [];
  Channel.all.clear();
  queue = [];
  held = false;
  vi.useRealTimers();
});

describe('one stream a browser', () => {
  it('is kept by the first tab and asks for every plant that some tab shows', async () => {
    const [first, second] = [tab('malt', 7), tab('mill', 3)];
    await settle();
    expect(Source.wanted).toEqual(['malt:7', 'mill:3']);
    tab('malt', 5);
    await settle();
    expect(Source.all.filter((s) => !s.closed)).toHaveLength(1);
    Source.open.say('hello');
    expect([first.states.at(-1), second.states.at(-1)]).toEqual([true, true]);
    expect(second.stream.id).toBe(first.stream.id);
  });

  it('asks from the oldest revision that a tab has', async () => {
    tab('malt', 7);
    tab('malt', 5);
    tab('mill', 1);
    await settle();
    expect(Source.wanted).toEqual(['malt:5', 'mill:1']);
  });

  it('brings each tab what is of its plant, and what is of none', async () => {
    const [malt, mill] = [tab('malt'), tab('mill')];
    await settle();
    Source.open.say('revision', { plant: 'mill', revision: 2 });
    Source.open.say('alive');
    expect(malt.heard.map((e) => e.event)).toEqual(['alive']);
    expect(mill.heard.map((e) => e.event)).toEqual(['revision', 'alive']);
  });

  it('is taken over by another tab when the one that kept it is closed', async () => {
    const [first, second] = [tab('malt'), tab('mill')];
    await settle();
    first.stream.close();
    tabs.splice(tabs.indexOf(first), 1);
    await settle();
    expect(Source.wanted).toEqual(['mill:1']);
    Source.open.say('hello');
    expect(second.states.at(-1)).toBe(true);
  });

  it('no longer asks for a plant whose last tab is closed', async () => {
    tab('malt');
    const other = tab('mill');
    await settle();
    other.stream.close();
    tabs.splice(tabs.indexOf(other), 1);
    await settle();
    expect(Source.wanted).toEqual(['malt:1']);
  });

  it('is opened anew after an error, from what has come since, and after too long a silence', async () => {
    const only = tab('malt');
    await settle();
    Source.open.say('hello');
    only.revision = 4;
    Source.open.onerror();
    expect(only.states).toEqual([true, false]);
    await vi.advanceTimersByTimeAsync(1000);
    expect(Source.wanted).toEqual(['malt:4']);
    const before = Source.open;
    await vi.advanceTimersByTimeAsync(24_000);
    before.say('alive');
    await vi.advanceTimersByTimeAsync(24_000);
    expect(Source.open).toBe(before);
    await vi.advanceTimersByTimeAsync(1000);
    expect(Source.open).not.toBe(before);
  });

  it('takes no notice of an error of a stream that was given up', async () => {
    const only = tab('malt');
    await settle();
    const old = Source.open;
    tab('mill');
    await settle();
    const now = Source.open;
    expect(now).not.toBe(old);
    const before = only.states.length;
    old.onerror();
    expect(only.states).toHaveLength(before);
    await vi.advanceTimersByTimeAsync(2000);
    expect(Source.open).toBe(now);
  });
});

it('is every tab’s own where there are no locks', async () => {
  vi.stubGlobal('navigator', {});
  tab('malt');
  tab('mill');
  await settle();
  expect(Source.all.filter((s) => !s.closed)).toHaveLength(2);
});
