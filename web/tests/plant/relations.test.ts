import { beforeEach, describe, expect, it } from 'vitest';
import type { PlantStore, Row } from '../../src/plant/store.svelte';
import { linksOf } from '../../src/plant/links';
import { isParked } from '../../src/plant/parked';
import {
  controllerOf,
  controllerOfModule,
  medium,
  portLabel,
  portsOf,
} from '../../src/plant/ports';
import {
  headName,
  headOf,
  modulesBehind,
  modulesFor,
  railsBehind,
  rootOf,
} from '../../src/plant/rails';
import { counts, stageOf, STAGES } from '../../src/shell/stages';
import { condition } from '../../src/stages/networks/condition';
import { linesOf } from '../../src/stages/networks/lines';
import { roomSaid } from '../../src/kit/room';
import { FakePlant } from '../fakePlant';

let plant: FakePlant;
const module = (id: string, rail: string, type = 'di', designation = '') => ({
  id,
  rail,
  type,
  designation,
  rank: id,
});
beforeEach(() => {
  plant = new FakePlant(
    {
      controllers: [{ id: 'c1', name: 'HALL', type: 'tf', rank: 'A' }],
      rails: [
        { id: 'r1', head: 'c1', rank: 'A' },
        { id: 'r2', head: 'm2', rank: 'B' },
        { id: 'r3', head: 's1', rank: 'C' },
      ],
      modules: [
        module('m1', 'r1', 'di', '-K1'),
        module('m2', 'r1', 'carrier'),
        module('m3', 'r1', 'ser'),
        module('m4', 'r2'),
        module('m5', 'r3', 'no such'),
      ],
      ports: [
        { id: 'p1', device: 'c1', key: 'A', rank: 'A' },
        { id: 'p2', device: 'm3', key: 'S', rank: 'B' },
        { id: 'p3', device: 'gone', key: 'X', rank: 'C' },
      ],
      networks: [
        { id: 'n1', name: 'Cell', port: 'p1' },
        { id: 'n2', name: 'Line', port: 'p2' },
      ],
      stations: [
        { id: 's1', network: 'n1', name: 'Well house', type: 'tc', settings: {}, rank: 'A' },
        {
          id: 's2',
          network: 'n1',
          name: 'Spare',
          type: 'tc',
          settings: { parked: true },
          rank: 'B',
        },
      ],
      connections: [
        { id: 'k1', station: 's1', rank: 'B', settings: {} },
        { id: 'k2', station: 's1', rank: 'A', settings: {} },
        { id: 'k3', station: 's2', rank: 'A', settings: {} },
      ],
      exchanges: [
        { id: 'x1', connection: 'k1', rank: 'A' },
        { id: 'x2', connection: 'k2', rank: 'B' },
        { id: 'x3', connection: 'k2', rank: 'A' },
        { id: 'x4', connection: 'k3', rank: 'A' },
      ],
      links: [
        { id: 'l1', signal: 'g1', access: 'writes', rank: 'A' },
        { id: 'l2', signal: 'g1', access: 'writes', rank: 'B' },
        { id: 'l3', signal: 'g1', access: 'reads', rank: 'C' },
        { id: 'l4', signal: 'g2', access: 'writes', rank: 'D' },
      ],
    },
    [
      {
        key: 'tf',
        name: 'TF-42',
        kind: 'controller',
        family: '',
        ports: [{ key: 'A', medium: 'ethernet' }],
      },
      { key: 'di', name: 'DI-16', kind: 'module', family: '', head: '', ports: [] },
      { key: 'carrier', name: 'CA-2', kind: 'module', family: '', head: '', rail: {}, ports: [] },
      {
        key: 'ser',
        name: 'SER-2',
        kind: 'module',
        family: '',
        head: '',
        ports: [{ key: 'S', medium: 'serial' }],
      },
    ],
  );
});

describe('what hangs on what', () => {
  const named = (rows: { id: string }[]) => rows.map((row) => row.id);
  it('goes through modules that carry rails', () => {
    expect(headOf(plant, plant.row('rails', 'r2'))?.id).toBe('m2');
    expect(['r1', 'r2', 'r3', 'r9'].map((rail) => rootOf(plant, rail)?.id)).toEqual([
      'c1',
      'c1',
      's1',
      undefined,
    ]);
    expect(named(railsBehind(plant, 'c1'))).toEqual(['r1', 'r2']);
    expect(named(modulesBehind(plant, 'c1'))).toEqual(['m1', 'm2', 'm4', 'm3']);
    expect(named(modulesBehind(plant, 's1'))).toEqual(['m5']);
  });

  it('is called by its name, its designation or its type', () => {
    const names = ['c1', 's1'].map(
      (id) => plant.row('controllers', id) ?? plant.row('stations', id)!,
    );
    expect(names.map((head) => headName(plant, head))).toEqual(['HALL', 'Well house']);
    expect(['m1', 'm2', 'm5'].map((id) => headName(plant, plant.row('modules', id)!))).toEqual([
      '-K1',
      'CA-2',
      'no such',
    ]);
  });

  it('takes modules that join what it takes: of its file, of its internal bus, or the built-in ones', () => {
    const type = (key: string, joins: string, kind = 'module') => ({ key, kind, joins, takes: '' });
    const types = [type('a', ''), type('b', 'bus'), type('c', '', 'device')];
    const coupler = { ...type('coupler', '', 'device'), takes: 'bus' };
    plant = new FakePlant({}, [...types, coupler]);
    plant.catalogue = { types: [...types, coupler] } as never;
    expect(modulesFor(plant, 'a').map((t) => t.key)).toEqual(['a']);
    expect(modulesFor(plant, 'coupler').map((t) => t.key)).toEqual(['b']);
    expect(modulesFor(plant, 'nobody').map((t) => t.key)).toEqual(['a']);
  });
});

describe('ports', () => {
  const port = (id: string) => plant.row('ports', id)!;
  it('belong to a controller, by themselves or by a module', () => {
    expect(['p1', 'p2', 'p3'].map((id) => controllerOf(plant, port(id))?.id)).toEqual([
      'c1',
      'c1',
      undefined,
    ]);
    expect(controllerOf(plant, undefined)).toBeUndefined();
    expect(portsOf(plant, 'c1').map((p) => p.id)).toEqual(['p1', 'p2']);
    expect(['m1', 'm4', 'm5'].map((id) => controllerOfModule(plant, id)?.id)).toEqual([
      'c1',
      'c1',
      'c1',
    ]);
  });
  it('are called as people say them, and know their medium', () => {
    expect(['p1', 'p2', 'p3'].map((id) => portLabel(plant, port(id)))).toEqual([
      'HALL A',
      'HALL SER-2 S',
      'X',
    ]);
    expect(['p1', 'p2', 'p3'].map((id) => medium(plant, port(id)))).toEqual([
      'ethernet',
      'serial',
      '',
    ]);
  });
});

it('finds the link by which a signal is read before those it is written by', () => {
  const found = linksOf(plant as PlantStore);
  expect([found.get('g1')?.link.id, found.get('g1')?.more]).toEqual(['l3', 2]);
  expect([found.get('g2')?.link.id, found.get('g2')?.more]).toEqual(['l4', 0]);
});

it('lists exchanges by station, connection and their own order', () => {
  const lines = linesOf(plant, plant.list('stations', 'network', 'n1'));
  expect(lines.map((line) => [line.exchange.id, line.connection.id, line.station.id])).toEqual([
    ['x3', 'k2', 's1'],
    ['x2', 'k2', 's1'],
    ['x1', 'k1', 's1'],
    ['x4', 'k3', 's2'],
  ]);
});

describe('how a station fares', () => {
  const fares = (severities: string[], live = '', id = 's1') => {
    plant.findings = new Map(
      severities.map((severity, n) => [`${n}`, { severity, places: [{ id: 's1' }] }]),
    ) as never;
    plant.bench.state = {
      state: live ? 'running' : 'idle',
      stations: [{ id: 's1', state: live }],
    } as never;
    return condition(plant, id);
  };
  it.each([
    [[], '', 'idle'],
    [['note'], '', 'idle'],
    [['note', 'warning'], '', 'warning'],
    [['warning', 'error'], '', 'error'],
    [['error'], 'good', 'good'],
    [[], 'bad', 'error'],
    [['warning'], 'starting', 'warning'],
  ])('with %j, on the bench %j: %s', (found, live, state) => {
    expect(fares(found, live)).toBe(state);
  });
  it('is off when it is switched off, whatever else', () => {
    expect(fares(['error'], 'bad', 's2')).toBe('off');
    expect(isParked(undefined)).toBe(false);
    expect(isParked({ settings: { parked: 'yes' } } as unknown as Row<'stations'>)).toBe(false);
  });
});

describe('stages', () => {
  it('count what is open in them', () => {
    const found = [
      ['hardware', 'error'],
      ['hardware', 'note'],
      ['signals', 'warning'],
      ['hardware', 'error'],
    ];
    const findings = found.map(([stage, severity]) => ({ stage, severity })) as never[];
    expect(counts(findings, 'hardware')).toEqual({ error: 2, warning: 0, note: 1 });
    expect(counts(findings, 'live')).toEqual({ error: 0, warning: 0, note: 0 });
  });
  it('are found by their key, the first by any other', () => {
    expect(stageOf('live').name).toBe('Live');
    expect([stageOf('nonsense'), stageOf(undefined)]).toEqual([STAGES[0], STAGES[0]]);
  });
});

it.each([
  [
    { refused: 'HALL S has a network.', more: 0, limits: [] },
    'Room for 0 more: HALL S has a network.',
  ],
  [{ refused: '', more: null, limits: [] }, 'No computed limit on how many.'],
  [
    { refused: '', more: 4, limits: [{ label: 'Sockets' }] },
    'Room for 4 more. First limit: Sockets.',
  ],
  [
    { refused: '', more: 4, limits: [{ label: 'Sockets' }, { label: 'Places', more: 9 }] },
    'Room for 4 more. First limit: Sockets; next: Places (9).',
  ],
])('says how many more there is room for: %#', (room, text) => {
  expect(roomSaid(room as never)).toBe(text);
});
