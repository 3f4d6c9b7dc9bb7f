import { beforeEach, describe, expect, it } from 'vitest';
import { Problem } from '../../../src/api/client';
import { SignalWork } from '../../../src/stages/signals/signalWork.svelte';
import { FakePlant } from '../../fakePlant';

const signal = (n: number, name: string, more = {}) => ({
  id: `g${n}`,
  name,
  controller: n < 4 ? 'c1' : 'c2',
  type: 'REAL',
  unit: '',
  rank: String(n),
  ...more,
});

let plant: FakePlant;
let work: SignalWork;
beforeEach(() => {
  plant = new FakePlant(
    {
      controllers: [
        { id: 'c1', name: 'HALL', rank: 'A' },
        { id: 'c2', name: 'KILN', rank: 'B' },
      ],
      rails: [{ id: 'r1', head: 'c1' }],
      modules: [{ id: 'm1', rail: 'r1', type: 'ai', designation: '-K4' }],
      networks: [{ id: 'n1', name: 'Cell' }],
      stations: [{ id: 's1', name: 'Weigh head', network: 'n1' }],
      connections: [{ id: 'k1', station: 's1' }],
      exchanges: [{ id: 'x1', connection: 'k1', name: 'From it' }],
      signals: [
        signal(1, 'Tank1Level', { unit: 'm', asked_ms: 200 }),
        signal(2, 'Tank1Full', { type: 'BOOL' }),
        signal(3, 'Weight'),
        signal(4, 'Draught'),
      ],
      links: [
        { id: 'l1', signal: 'g1', place: 'm1', key: 'ch0', access: 'reads', scaling: { lo: 0 } },
        { id: 'l2', signal: 'g2', place: 'm1', key: 'ch1', access: 'reads' },
        { id: 'l3', signal: 'g3', place: 'x1', key: 'o4', access: 'reads' },
        { id: 'l4', signal: 'g3', place: 'm1', key: 'ch5', access: 'writes' },
      ],
    },
    [{ key: 'ai', name: 'AI-8' }],
  );
  work = new SignalWork(plant);
});
const names = () => work.signals.map((g) => g.name);

describe('the filter', () => {
  it.each([
    ['', 'Tank1Level Tank1Full Weight Draught'],
    ['tank', 'Tank1Level Tank1Full'],
    ['hall.t', 'Tank1Level Tank1Full'],
    ['kind:analogue', 'Tank1Level'],
    ['kind:digital', 'Tank1Full'],
    ['kind:network', 'Weight'],
    ['kind:unlinked', 'Draught'],
    ['in:kiln', 'Draught'],
    ['at:weigh', 'Weight'],
    ['at:-k4 -type:bool', 'Tank1Level'],
    ['unit:m', 'Tank1Level'],
  ])('%j leaves %s', (words, left) => {
    work.words = words;
    expect(names().join(' ')).toBe(left);
  });

  it('counts what is linked, and what more a signal is linked to', () => {
    expect(work.linkedCount).toBe(3);
    expect(work.links.get('g3')).toMatchObject({ link: { id: 'l3' }, more: 1 });
  });
});

describe('what is chosen', () => {
  it('is between two ends, and never beyond', () => {
    work.choose(2);
    work.choose(0, true);
    expect(work.chosen.map((g) => g.id)).toEqual(['g1', 'g2', 'g3']);
    work.choose(99);
    expect([work.at, work.onNew, work.chosen]).toEqual([4, true, []]);
    plant.role = 'reader';
    work.choose(99);
    expect([work.at, work.onNew]).toEqual([3, false]);
    work.choose(-5);
    expect(work.at).toBe(0);
    expect(work.isChosen('g1')).toBe(true);
    expect(work.isChosen('g2')).toBe(false);
  });

  it('follows an address, and stays within what the filter leaves', () => {
    expect(work.arrive('g3')).toBe(true);
    expect(work.arrive('g3')).toBe(false);
    work.words = 'tank';
    expect(work.arrive('')).toBe(false);
    expect(work.at).toBe(1);
  });
});

describe('a cell', () => {
  it('begins with what is there, and writes only what is another', async () => {
    work.begin('unit');
    expect(work.editing).toEqual({ column: 'unit', text: 'm' });
    expect(await work.commit()).toBe(true);
    expect(plant.made).toEqual([]);
    work.begin('unit');
    work.editing!.text = 'mm';
    await work.commit();
    expect(plant.made).toEqual([
      { edit: { kind: 'set', ids: ['g1'], values: { unit: 'mm' } }, label: 'Tank1Level: unit' },
    ]);
  });

  it('writes to all that are chosen, but a name to one', async () => {
    work.choose(0);
    work.choose(2, true);
    work.begin('type');
    work.editing!.text = 'INT';
    await work.commit();
    expect(plant.made.at(-1)).toMatchObject({
      edit: { ids: ['g1', 'g2', 'g3'], values: { type: 'INT' } },
      label: '3 signals: type',
    });
    work.begin('name');
    work.editing!.text = 'Other';
    await work.commit();
    expect(plant.last).toMatchObject({ ids: ['g1'], values: { name: 'Other' } });
  });

  it('leads on to the next, and at the last ends', async () => {
    work.begin('name');
    await work.commit(1);
    expect(work.editing?.column).toBe('type');
    await work.commit(-1);
    expect(work.editing?.column).toBe('name');
    work.begin('asked_ms');
    await work.commit(1);
    expect(work.editing).toBeNull();
  });

  it('takes an asked response away when it is emptied', async () => {
    work.begin('asked_ms');
    expect(work.editing?.text).toBe('200');
    work.editing!.text = '';
    await work.commit();
    expect(plant.last).toMatchObject({ values: { asked_ms: null } });
  });

  it('stays open with the reason when it is refused', async () => {
    plant.refuse = new Problem(422, 'Not possible', 'HALL has another Tank1Full.');
    work.begin('name');
    work.editing!.text = 'Tank1Full';
    expect(await work.commit()).toBe(false);
    expect(work.problem).toBe('HALL has another Tank1Full.');
    expect(work.editing?.text).toBe('Tank1Full');
    work.cancel();
    expect([work.problem, work.editing]).toEqual(['', null]);
  });

  it('is not begun by a reader', () => {
    plant.role = 'reader';
    work.begin('name');
    expect(work.editing).toBeNull();
  });
});

describe('a link', () => {
  it.each([
    ['m1', 'ch0', null],
    ['m1', 'ch3', { kind: 'link', signal: 'g1', place: 'm1', key: 'ch3', instead: 'l1' }],
    ['x1', 'o8', { kind: 'link', signal: 'g1', place: 'x1', key: 'o8', instead: 'l1' }],
    ['x1', '', null],
    ['', '', { kind: 'remove', ids: ['l1'] }],
  ])('to %j %j', async (place, key, edit) => {
    work.begin('link');
    expect([work.linkPlace, work.linkKey]).toEqual(['m1', 'ch0']);
    [work.linkPlace, work.linkKey] = [place, key];
    await work.commit();
    if (edit) expect(plant.last).toMatchObject(edit);
    else expect(plant.made).toEqual([]);
  });
});

describe('many at once', () => {
  it('are filled down from the first', async () => {
    work.choose(0);
    await work.fillDown();
    expect(plant.made).toEqual([]);
    work.choose(2, true);
    await work.fillDown();
    expect(plant.last).toEqual({ kind: 'fill-down', ids: ['g1', 'g2', 'g3'], fields: ['name'] });
    work.point('link');
    work.go(1, true);
    await work.fillDown();
    expect(plant.last).toMatchObject({ fields: ['link', 'unit'] });
  });

  it('are removed, and then one is chosen', async () => {
    work.choose(0);
    work.choose(1, true);
    await work.remove();
    expect(plant.made.at(-1)).toEqual({
      edit: { kind: 'remove', ids: ['g1', 'g2'] },
      label: 'Remove 2 signals',
    });
    expect(work.chosen).toHaveLength(1);
  });

  it('are pasted as new signals behind the last, by order or by headings, in one edit', async () => {
    work.choose(99);
    expect(work.onNew).toBe(true);
    await work.paste('One\treal\tbar\tfirst\r\n\r\nTwo\n  Three \tint');
    const rows = [
      { name: 'One', type: 'REAL', unit: 'bar', note: 'first' },
      { name: 'Two' },
      { name: 'Three', type: 'INT' },
    ];
    expect(plant.made).toEqual([
      { edit: { kind: 'paste-signals', controller: 'c2', rows }, label: 'Add 3 signals' },
    ]);
    await work.paste('Tag\tName\tSomething\nLT-1\tFour\tx');
    expect(plant.last).toMatchObject({ rows: [{ tag: 'LT-1', name: 'Four' }] });
    await work.paste('\n\t\n');
    expect(plant.made).toHaveLength(2);
  });

  it('are pasted over the cells from the cursor on; what is more becomes new signals', async () => {
    work.choose(2);
    work.point('name');
    // Where it is linked and what is worked out are passed over.
    await work.paste('A\tint\tplace\tmm\noctet\nB\nC\tbool');
    expect(plant.last).toEqual({
      kind: 'batch',
      edits: [
        {
          kind: 'set-each',
          values: { g3: { name: 'A', type: 'INT', unit: 'mm' }, g4: { name: 'octet' } },
        },
        {
          kind: 'paste-signals',
          controller: 'c2',
          rows: [{ name: 'B' }, { name: 'C', type: 'BOOL' }],
        },
      ],
    });
    work.choose(0);
    work.point('asked_ms');
    await work.paste('100\t1\n\t2\n300');
    expect(plant.last).toMatchObject({
      edits: [
        { values: { g1: { asked_ms: '100' }, g2: { asked_ms: null }, g3: { asked_ms: '300' } } },
      ],
    });
  });

  it('stay beside what they stood beside where a cell of the column is empty', async () => {
    work.choose(0);
    work.point('unit');
    await work.paste('mm\r\n\r\ncm\r\n\r\n');
    expect(plant.last).toMatchObject({
      edits: [{ values: { g1: { unit: 'mm' }, g2: { unit: '' }, g3: { unit: 'cm' } } }],
    });
  });

  it('have one text that is pasted over them', async () => {
    work.choose(0);
    work.choose(1, true);
    work.point('unit');
    await work.paste('bar\r\n');
    expect(plant.last).toMatchObject({
      edits: [{ values: { g1: { unit: 'bar' }, g2: { unit: 'bar' } } }],
    });
  });

  it('are copied as a table', () => {
    work.choose(0);
    work.choose(1, true);
    work.point('name');
    work.go(2, true);
    expect(work.copied()).toBe('Tank1Level\tREAL\t-K4 AI-8 ch0\r\nTank1Full\tBOOL\t-K4 AI-8 ch1');
  });

  it('are emptied where it is not their name', async () => {
    work.choose(0);
    work.choose(1, true);
    work.point('link');
    work.go(1, true);
    await work.remove();
    expect(plant.last).toEqual({
      kind: 'batch',
      edits: [
        { kind: 'set', ids: ['g1', 'g2'], values: { unit: '' } },
        { kind: 'remove', ids: ['l1', 'l2'] },
      ],
    });
  });

  it('are linked to places that follow one another', async () => {
    work.choose(0);
    work.choose(1, true);
    work.begin('link');
    [work.linkPlace, work.linkKey] = ['m1', 'ch4'];
    await work.commit();
    expect(plant.last).toMatchObject({
      edits: [
        { kind: 'link', signal: 'g1', key: 'ch4' },
        { kind: 'fill-down', ids: ['g1', 'g2'], fields: ['link'] },
      ],
    });
  });

  it('are sorted as people count, upwards, downwards, and as they stand', () => {
    work.sortBy('name');
    expect(names().join(' ')).toBe('Draught Tank1Full Tank1Level Weight');
    work.sortBy('name');
    expect(names()[0]).toBe('Weight');
    work.sortBy('name');
    expect(names()[0]).toBe('Tank1Level');
    work.sortBy('image');
    expect(work.sort).toBeNull();
  });
});

describe('what a place is called', () => {
  it.each([
    ['m1', '-K4 AI-8'],
    ['x1', 'Weigh head, From it'],
    ['gone', ''],
  ])('%s: %s', (id, text) => {
    expect(work.holder(id)).toBe(text);
  });
});
