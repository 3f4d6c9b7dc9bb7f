import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { http } from '../../../src/api/client';
import { revisionEdit, Tray, type ReadFile } from '../../../src/stages/catalogue/tray.svelte';
import { FakePlant } from '../../fakePlant';

type Read = { url: string; signal: AbortSignal; answer: (status: number, body: unknown) => void };

let plant: FakePlant;
let tray: Tray;
let reads: Read[];
const settle = () => new Promise((done) => setTimeout(done));
const file = (name: string) => ({ name, size: 10 }) as File;
const device = (name: string, state = 'new') => ({
  name,
  key: `${name}@1`,
  state,
  pin: { device: name, sha256: '0', reader: 1, file: name },
});
const result = (devices: object[], refused = '') => ({ refused, devices }) as unknown as ReadFile;
const states = () => tray.entries.map((e) => `${e.name} ${e.state}`);

beforeEach(() => {
  reads = [];
  plant = new FakePlant();
  tray = new Tray(plant);
  vi.stubGlobal(
    'FormData',
    class {
      set() {}
    },
  );
  vi.stubGlobal(
    'fetch',
    (url: string, { signal }: { signal: AbortSignal }) =>
      new Promise((done, failed) => {
        signal.addEventListener('abort', () => failed(new Error('aborted')));
        reads.push({
          url,
          signal,
          answer: (status, body) =>
            done({ ok: status < 400, status, json: async () => body } as Response),
        });
      }),
  );
  vi.spyOn(http, 'DELETE').mockResolvedValue({} as never);
});
afterEach(() => {
  plant.close();
  vi.restoreAllMocks();
});

describe('files on their way into the plant', () => {
  it('are read two at a time, in their order', async () => {
    tray.add(['a', 'b', 'c', 'd'].map(file));
    expect(states()).toEqual(['a reading', 'b reading', 'c waiting', 'd waiting']);
    reads[1]!.answer(200, [result([])]);
    await settle();
    expect(states()).toEqual(['a reading', 'b done', 'c reading', 'd waiting']);
    expect([tray.busy, tray.doneCount]).toEqual([true, 1]);
    for (const n of [0, 2]) reads[n]!.answer(200, [result([])]);
    await settle();
    reads[3]!.answer(200, [result([])]);
    await settle();
    expect([tray.busy, tray.doneCount]).toEqual([false, 4]);
  });

  it('join the plant by one edit a file, as far as they are new', async () => {
    tray.add([file('archive.zip')]);
    reads[0]!.answer(200, [
      result([device('drive'), device('known', 'there'), device('newer', 'revision')]),
      result([device('master')]),
    ]);
    await settle();
    expect(plant.made).toHaveLength(1);
    expect(plant.made[0]).toMatchObject({
      edit: { kind: 'add-types', types: [{ device: 'drive' }, { device: 'master' }] },
      label: 'Take in drive …',
    });
  });

  it('that bring nothing new make no edit', async () => {
    tray.add([file('a')]);
    reads[0]!.answer(200, [result([device('known', 'there')])]);
    await settle();
    expect(plant.made).toEqual([]);
    expect(states()).toEqual(['a done']);
  });

  it('have failed when all of them were refused, or the server says so, and the next are read', async () => {
    tray.add(['a', 'b', 'c'].map(file));
    reads[0]!.answer(200, [result([], 'no device in it'), result([], 'damaged')]);
    reads[1]!.answer(413, { detail: 'The file is too long.' });
    await settle();
    expect(states()).toEqual(['a failed', 'b failed', 'c reading']);
    expect(tray.entries[1]!.problem).toBe('The file is too long.');
    reads[2]!.answer(200, [result([], 'one'), result([device('good')])]);
    await settle();
    expect(states()[2]).toBe('c done');
  });

  it('can be stopped while they wait and while they are read', async () => {
    tray.add(['a', 'b', 'c'].map(file));
    tray.stop(tray.entries[2]!.key);
    tray.stop(tray.entries[0]!.key);
    await settle();
    expect(reads[0]!.signal.aborted).toBe(true);
    expect(states()).toEqual(['a stopped', 'b reading', 'c stopped']);
    expect(reads).toHaveLength(2);
    expect(http.DELETE).toHaveBeenCalledTimes(2);
    expect(tray.entries[0]!.problem).toBe('Stopped.');
  });

  it('are put away when they are through, and not before', async () => {
    tray.add(['a', 'b', 'c'].map(file));
    reads[0]!.answer(200, [result([])]);
    await settle();
    tray.clear();
    expect(states()).toEqual(['b reading', 'c reading']);
  });

  it('may have been read by other means', async () => {
    await tray.take('By hand', [result([device('probe')])]);
    expect(states()).toEqual(['By hand done']);
    expect(plant.made[0]!.label).toBe('Take in probe');
  });
});

describe('a new revision', () => {
  const newer = device('drive', 'revision') as never;
  it('stands beside the old one where no station is to be moved', () => {
    expect(revisionEdit(newer, [])).toMatchObject({
      kind: 'add-types',
      types: [{ device: 'drive' }],
    });
  });
  it('comes and takes the stations over in one edit', () => {
    expect(revisionEdit(newer, ['s1', 's2'])).toMatchObject({
      kind: 'batch',
      edits: [{ kind: 'add-types' }, { kind: 'change-type', ids: ['s1', 's2'], type: 'drive@1' }],
    });
  });
});
