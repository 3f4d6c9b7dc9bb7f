import fc from 'fast-check';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { PlantStore } from '../../src/plant/store.svelte';
import type { StreamEvent } from '../../src/api/stream';

type Step = { revision: number; id: string; name: string | null; document: string };
/** What is private to the store, as the stream would call it. */
type Heard = { heard(event: StreamEvent): void };

let store: PlantStore;
const load = vi.fn(async () => {});

beforeEach(() => {
  vi.useFakeTimers();
  load.mockClear();
  store = new PlantStore('plant');
  store.load = load;
  store.revision = 1;
  store.tables = {
    facts: new Map(),
    signals: new Map([['g1', { id: 'g1', name: 'Old' }]]),
  } as never;
});
afterEach(() => {
  store.close();
  vi.useRealTimers();
});

function arrive({ revision, id, name, document }: Step) {
  const data = {
    revision,
    document,
    client: (store as never as { client: string }).client,
    change: [{ table: 'signals', id, before: null, after: name === null ? null : { id, name } }],
    findings_added: name === null ? [] : [{ key: `late ${id}`, places: [{ id }] }],
    findings_gone: name === null ? [`late ${id}`] : [],
    stale: [['signal.path', id]],
  };
  (store as never as Heard).heard({ event: 'revision', data });
}

const steps = fc.array(
  fc.record({
    id: fc.constantFrom('g1', 'g2', 'g3'),
    name: fc.option(fc.constantFrom('A', 'B', 'C')),
    document: fc.constantFrom('plant', 'built'),
  }),
  { minLength: 1, maxLength: 8 },
);

describe('steps of the journal', () => {
  it('leave the same plant in whatever order and however often they come', () => {
    fc.assert(
      fc.property(
        steps.chain((list) => {
          const numbered = list.map((step, n) => ({ ...step, revision: n + 2 }));
          const twice = [...numbered, ...numbered];
          return fc.tuple(
            fc.constant(numbered),
            fc.shuffledSubarray(twice, { minLength: twice.length }),
          );
        }),
        ([inOrder, mixed]) => {
          const table = new Map([['g1', 'Old']]);
          const late = new Set<string>();
          let configured = 0;
          for (const { id, name, document, revision } of inOrder) {
            if (name === null) table.delete(id);
            else table.set(id, name);
            if (name === null) late.delete(`late ${id}`);
            else late.add(`late ${id}`);
            if (document === 'plant') configured = revision;
          }
          store.revision = 1;
          store.configured = 0;
          store.findings = new Map();
          store.tables = {
            facts: new Map(),
            signals: new Map([['g1', { id: 'g1', name: 'Old' }]]),
          } as never;
          for (const step of mixed) arrive(step);
          expect(store.revision).toBe(inOrder.length + 1);
          expect(new Map(store.list('signals').map((g) => [g.id, g.name]))).toEqual(table);
          expect(new Set(store.findings.keys())).toEqual(late);
          expect(store.configured).toBe(configured);
        },
      ),
    );
  });

  it('wait for the one between; when it does not come, the plant is fetched anew', async () => {
    arrive({ revision: 3, id: 'g2', name: 'Third', document: 'plant' });
    expect(store.revision).toBe(1);
    expect(store.row('signals', 'g2')).toBeUndefined();
    await vi.advanceTimersByTimeAsync(1400);
    expect(load).not.toHaveBeenCalled();
    await vi.advanceTimersByTimeAsync(200);
    expect(load).toHaveBeenCalledTimes(1);
  });

  it('are not fetched anew when the one between comes in time', async () => {
    arrive({ revision: 3, id: 'g2', name: 'Third', document: 'plant' });
    arrive({ revision: 2, id: 'g1', name: 'Second', document: 'plant' });
    await vi.advanceTimersByTimeAsync(3000);
    expect(store.revision).toBe(3);
    expect(load).not.toHaveBeenCalled();
  });

  it('move on without being shown while an earlier revision is looked at', () => {
    store.looking = 1;
    arrive({ revision: 2, id: 'g1', name: 'New', document: 'plant' });
    expect(store.revision).toBe(2);
    expect(store.row('signals', 'g1')?.name).toBe('Old');
    expect(store.mayEdit).toBe(false);
  });
});

describe('what the stream says', () => {
  const say = (event: string, data: Record<string, unknown> = {}) =>
    (store as never as Heard).heard({ event, data });

  it('that this tab is behind leads to fetching, that it is not does not', () => {
    say('behind', { revision: 1 });
    expect(load).not.toHaveBeenCalled();
    say('behind', { revision: 2 });
    expect(load).toHaveBeenCalledTimes(1);
    say('reset');
    expect(load).toHaveBeenCalledTimes(2);
  });

  it('who else is here, and that the plant is gone', () => {
    say('presence', { users: ['ada', 'ben'] });
    expect(store.users).toEqual(['ada', 'ben']);
    expect(store.gone).toBe(false);
    say('gone');
    expect(store.gone).toBe(true);
  });
});

describe('who may edit', () => {
  it.each([
    ['owner', null, true],
    ['engineer', null, true],
    ['reader', null, false],
    ['owner', 3, false],
  ] as const)('%s looking at %s: %s', (role, looking, may) => {
    store.role = role;
    store.looking = looking;
    expect(store.mayEdit).toBe(may);
  });
});
