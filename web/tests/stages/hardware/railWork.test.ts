import { beforeEach, describe, expect, it } from 'vitest';
import { RailWork } from '../../../src/stages/hardware/railWork.svelte';
import type { Clip } from '../../../src/stages/hardware/clips';
import { FakePlant } from '../../fakePlant';

const TYPES = [
  { key: 'di', name: 'DI-16' },
  { key: 'ai', name: 'AI-8' },
];

function rail(modules: (string | null)[], addressed = false): { plant: FakePlant; work: RailWork } {
  const plant = new FakePlant(
    {
      controllers: [{ id: 'c1', name: 'HALL', type: 'tf', rank: 'A' }],
      rails: [{ id: 'r1', head: 'c1', rank: 'A' }],
      modules: modules.flatMap((id) => (id ? [{ id, rail: 'r1', type: 'di', rank: id }] : [])),
    },
    TYPES,
  );
  const seats = modules.map((module, n) => ({
    slot: n + 1,
    module,
    kind: module ? 'module' : 'open',
    label: module ? `-K${n + 1} DI-16` : '',
    width_mm: 24,
  }));
  plant.given.set('rail.mounting|r1', { seats, addressed });
  return { plant, work: new RailWork(plant, () => 'r1') };
}

let plant: FakePlant;
let work: RailWork;
beforeEach(() => ({ plant, work } = rail(['m1', 'm2', 'm3', 'm4'])));

describe('what is chosen at a rail', () => {
  it('is one seat, or all between two, in either direction', () => {
    work.choose(2);
    expect(work.ids).toEqual(['m3']);
    work.choose(0, true);
    expect(work.ids).toEqual(['m1', 'm2', 'm3']);
    work.choose(3, true);
    expect(work.ids).toEqual(['m3', 'm4']);
    expect(plant.selection).toEqual(['m3', 'm4']);
    work.chooseAll();
    expect(work.ids).toEqual(['m1', 'm2', 'm3', 'm4']);
  });

  it('is the head at -1', () => {
    work.choose(-1);
    expect(plant.selection).toEqual(['c1']);
    expect(work.ids).toEqual([]);
  });

  it('follows an address, stays within a rail that has become shorter, and begins at a module', () => {
    work.arrive('m3');
    expect([work.at, plant.selection]).toEqual([2, ['m3']]);
    work.arrive('c1');
    expect([work.at, plant.selection]).toEqual([-1, ['c1']]);
    work.at = 9;
    work.arrive('');
    expect(work.at).toBe(3);
    ({ plant, work } = rail([null, 'm1']));
    work.arrive('');
    expect(work.at).toBe(1);
  });
});

describe('where something goes', () => {
  it('is before a module on a rail whose slots are counted, and in a slot where they are addressed', () => {
    expect(work.target(1)).toEqual({ before: 'm2', slot: null });
    expect(work.target(4)).toEqual({ before: null, slot: null });
    ({ plant, work } = rail(['m1', null, 'm2'], true));
    expect(work.target(1)).toEqual({ before: null, slot: 2 });
  });

  it('is where one stands, behind the one just placed, or at the end', async () => {
    work.choose(1);
    expect(work.pending('ai')).toMatchObject({
      edit: { kind: 'insert-modules', rail: 'r1', type: 'ai', before: 'm2' },
      label: 'Insert AI-8 in slot 2',
    });
    plant.tags = { $new: 'm2' };
    expect(await work.pick('ai')).toBe(true);
    expect(work.next).toBe(2);
    work.choose(-1);
    expect(work.pending('nobody knows')).toMatchObject({
      edit: { before: null },
      label: 'Insert nobody knows',
    });
  });

  it('is instead of the module one stands on, when replacing', async () => {
    work.choose(1);
    work.placing = 'replace';
    expect(work.pending('ai')).toEqual({
      edit: { kind: 'replace-module', id: 'm2', type: 'ai' },
      label: 'Replace -K2 DI-16 by AI-8',
    });
    plant.refuse = new Error('no');
    expect(await work.pick('ai')).toBe(false);
    expect(work.placing).toBe('insert');
  });
});

describe('moving what is chosen by one seat', () => {
  it.each([
    [1, 1, 1, ['m2'], 'm4'],
    [1, 1, -1, ['m2'], 'm1'],
    [1, 2, 1, ['m2', 'm3'], null],
    [1, 2, -1, ['m2', 'm3'], 'm1'],
    [2, 2, 1, ['m3'], null],
  ] as const)('from %i to %i by %i', async (from, to, by, ids, before) => {
    work.choose(from);
    work.choose(to, true);
    await work.move(by);
    expect(plant.last).toEqual({ kind: 'move-modules', ids, rail: 'r1', before, slot: null });
    expect(work.at).toBe(from + by);
  });

  it('does not move the first to the left, nor what is no module', async () => {
    work.choose(0);
    await work.move(-1);
    work.choose(-1);
    await work.move(1);
    expect(plant.made).toEqual([]);
  });

  it('goes to the next slot on a rail that is addressed', async () => {
    ({ plant, work } = rail(['m1', null, 'm2'], true));
    work.choose(0);
    await work.move(1);
    expect(plant.last).toMatchObject({ ids: ['m1'], slot: 2, before: null });
  });
});

describe('edits of what is chosen', () => {
  it('are one for one and one for all', async () => {
    work.choose(1);
    await work.duplicate();
    expect(plant.made.at(-1)).toEqual({
      edit: { kind: 'duplicate', id: 'm2' },
      label: 'Duplicate -K2 DI-16',
    });
    work.choose(2, true);
    await work.duplicate();
    expect(plant.made.at(-1)).toMatchObject({
      edit: { kind: 'batch', edits: [{ id: 'm2' }, { id: 'm3' }] },
      label: 'Duplicate 2 modules',
    });
    await work.remove();
    expect(plant.made.at(-1)).toEqual({
      edit: { kind: 'remove', ids: ['m2', 'm3'] },
      label: 'Remove 2 modules',
    });
  });

  it('pastes before what is chosen, behind all from the head, and nothing for a reader', async () => {
    const clip = { rows: [{ table: 'modules' }, { table: 'signals' }] } as unknown as Clip;
    work.choose(1);
    await work.paste(clip);
    expect(plant.made.at(-1)).toMatchObject({
      edit: { kind: 'paste', into: 'r1', before: 'm2' },
      label: 'Paste 1 module',
    });
    work.choose(-1);
    await work.paste(clip);
    expect(plant.last).toMatchObject({ before: null });
    plant.role = 'reader';
    await work.paste(clip);
    await work.paste(null);
    expect(plant.made).toHaveLength(2);
  });
});
