import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { http, Problem, Unreachable, type Edit } from '../../src/api/client';
import { PlantStore } from '../../src/plant/store.svelte';

type Asked = { method: string; path: string; body?: Record<string, unknown> };

/** The server, as far as a plant asks it: answers by path, kept requests, and answers that wait to be let go. */
let asked: Asked[];
let answers: Record<string, unknown>;
let held: Map<string, () => void>;
let store: PlantStore;
const EDIT = { kind: 'remove', ids: ['g1'] } as Edit;
const settle = () => vi.advanceTimersByTimeAsync(0);

function answer(method: string) {
  return (async (path: string, options: { body?: never } = {}) => {
    asked.push({ method, path, ...(options.body ? { body: options.body } : {}) });
    const told = answers[`${method} ${path}`];
    if (held.has(path)) await new Promise<void>((go) => held.set(path, go));
    if (told instanceof Error) throw told;
    return { response: { ok: true, status: 200 }, data: told };
  }) as never;
}
const count = (path: string) => asked.filter((one) => one.path === path).length;

beforeEach(() => {
  vi.useFakeTimers();
  [asked, held] = [[], new Map()];
  const steps = { plant: { undo: null, redo: null }, built: { undo: null, redo: null } };
  answers = {
    'GET /api/plants/{key}': {
      name: 'Malt',
      role: 'engineer',
      revision: 4,
      configured: 3,
      steps,
      rows: { facts: [{ id: 'f', name: 'Malt' }], signals: [{ id: 'g1', name: 'Level' }] },
    },
    'GET /api/plants/{key}/catalogue': { types: [{ key: 'di', name: 'DI-16' }] },
    'GET /api/plants/{key}/findings': {
      revision: 4,
      findings: [{ key: 'late g1', places: [{ id: 'g1' }] }],
    },
    'GET /api/plants/{key}/revisions/{revision}': {
      rows: { facts: [], signals: [{ id: 'g1', name: 'Old' }] },
    },
    'POST /api/plants/{key}/edits': {
      revision: 5,
      document: 'plant',
      steps: { ...steps, plant: { undo: { label: 'Remove Level' }, redo: null } },
      change: [{ table: 'signals', id: 'g1', before: {}, after: null }],
      findings_added: [],
      findings_gone: ['late g1'],
      stale: [],
      tags: {},
    },
    'POST /api/plants/{key}/preview': { parts: [{ part: 'rail.power', root: 'r1', result: 7 }] },
  };
  vi.spyOn(http, 'GET').mockImplementation(answer('GET'));
  vi.spyOn(http, 'POST').mockImplementation(answer('POST'));
  store = new PlantStore('malt');
});
afterEach(() => {
  store.close();
  vi.restoreAllMocks();
  vi.useRealTimers();
});

describe('opening a plant', () => {
  it('shows its rows before its findings have come', async () => {
    held.set('/api/plants/{key}/findings', () => {});
    await store.load();
    expect([store.name, store.revision, store.configured]).toEqual(['Malt', 4, 3]);
    expect(store.row('signals', 'g1')?.name).toBe('Level');
    expect(store.type('di')?.name).toBe('DI-16');
    expect([store.assessed, store.findings.size]).toEqual([false, 0]);
    held.get('/api/plants/{key}/findings')!();
    await settle();
    expect([store.assessed, store.findingsAt(['g1']).length]).toEqual([true, 1]);
  });

  it('asks for the findings again when an edit came before they did', async () => {
    held.set('/api/plants/{key}/findings', () => {});
    await store.load();
    await store.edit(EDIT, 'Remove Level');
    const go = held.get('/api/plants/{key}/findings')!;
    held.clear();
    answers['GET /api/plants/{key}/findings'] = { revision: 5, findings: [] };
    go();
    await settle();
    expect(count('/api/plants/{key}/findings')).toBe(2);
    expect([store.assessed, store.findings.size]).toEqual([true, 0]);
  });
});

describe('an edit', () => {
  it('is made on the revision one sees, and its answer is applied', async () => {
    await store.load();
    await settle();
    await store.edit(EDIT, 'Remove Level');
    const { body } = asked.find((one) => one.path.endsWith('/edits'))!;
    expect(body).toMatchObject({ base: 4, label: 'Remove Level', edit: EDIT });
    expect([store.revision, store.list('signals').length, store.findings.size]).toEqual([5, 0, 0]);
    expect(store.step.undo?.label).toBe('Remove Level');
  });

  it('that was answered before, and is told again, is not applied twice', async () => {
    await store.load();
    await settle();
    answers['POST /api/plants/{key}/edits'] = {
      ...(answers['POST /api/plants/{key}/edits'] as object),
      repeated: true,
    };
    await store.edit(EDIT, 'Remove Level');
    expect([store.revision, store.list('signals').length]).toEqual([4, 1]);
  });

  it('that is refused leaves the plant and its reason, until the next is made', async () => {
    await store.load();
    await settle();
    answers['POST /api/plants/{key}/edits'] = new Problem(422, 'Not possible', 'In use.');
    await expect(store.edit(EDIT, 'Remove Level')).rejects.toThrow('In use.');
    expect([store.refusal?.detail, store.revision]).toEqual(['In use.', 4]);
    store.endPreview();
    expect(store.refusal).toBeNull();
  });

  it('is kept while the server is away, under the key it was first sent with', async () => {
    await store.load();
    await settle();
    const good = answers['POST /api/plants/{key}/edits'];
    answers['POST /api/plants/{key}/edits'] = new Unreachable('away');
    expect(await store.edit(EDIT, 'Remove Level')).toBeNull();
    expect([store.connected, store.outbox.unsent.length]).toEqual([false, 1]);
    answers['POST /api/plants/{key}/edits'] = good;
    await vi.advanceTimersByTimeAsync(2000);
    expect([store.outbox.unsent.length, store.revision]).toEqual([0, 5]);
    const keys = asked
      .filter((one) => one.path.endsWith('/edits'))
      .map((one) => one.body!.client_key);
    expect(keys).toHaveLength(2);
    expect(new Set(keys).size).toBe(1);
  });
});

describe('an edit tried out', () => {
  it('shows what it would bring, part by part, and goes when it is ended', async () => {
    store.select('g1');
    await store.tryOut(EDIT, 'Remove Level', [['rail.power', 'r1']]);
    expect(asked.at(-1)!.body).toEqual({
      edit: EDIT,
      selection: ['g1'],
      want: [['rail.power', 'r1']],
    });
    expect(store.previewLabel).toBe('Remove Level');
    expect(store.pending('rail.power', 'r1')).toBe(7);
    expect(store.pending('rail.power', 'r2')).toBeUndefined();
    store.endPreview();
    expect([store.preview, store.previewLabel]).toEqual([null, '']);
  });

  it('is that of the latest question, whichever answer comes last', async () => {
    held.set('/api/plants/{key}/preview', () => {});
    const first = store.tryOut(EDIT, 'First');
    await settle();
    const go = held.get('/api/plants/{key}/preview')!;
    held.clear();
    await store.tryOut(EDIT, 'Second');
    go();
    expect(await first).toBeNull();
    expect(store.previewLabel).toBe('Second');
  });

  it('says why it could not be', async () => {
    answers['POST /api/plants/{key}/preview'] = new Problem(
      422,
      'Not possible',
      'No slot is free.',
    );
    expect(await store.tryOut(EDIT, 'Insert')).toBeNull();
    expect([store.preview, store.refusal?.detail, store.previewLabel]).toEqual([
      null,
      'No slot is free.',
      'Insert',
    ]);
  });
});

describe('an earlier revision', () => {
  it('is looked at without being edited, and today comes back', async () => {
    await store.load();
    await settle();
    expect(store.mayEdit).toBe(true);
    await store.look(2);
    expect([store.row('signals', 'g1')?.name, store.mayEdit, store.looking]).toEqual([
      'Old',
      false,
      2,
    ]);
    await store.look(null);
    expect([store.row('signals', 'g1')?.name, store.mayEdit]).toEqual(['Level', true]);
  });
});
