import { beforeEach, describe, expect, it } from 'vitest';
import { find, pathTo } from '../../src/shell/places';
import { FakePlant } from '../fakePlant';

let plant: FakePlant;
beforeEach(() => {
  plant = new FakePlant(
    {
      controllers: [{ id: 'c1', name: 'HALL', designation: '=A1', location: 'cabinet 4' }],
      rails: [
        { id: 'r1', head: 'c1', rank: 'A' },
        { id: 'r2', head: 'm2', rank: 'B' },
        { id: 'r3', head: 's1', rank: 'C' },
      ],
      modules: [
        { id: 'm1', rail: 'r1', type: 'ai', designation: '-K4', location: '' },
        { id: 'm2', rail: 'r1', type: 'ser', designation: '', location: '' },
        { id: 'm3', rail: 'r2', type: 'ai', designation: '', location: '' },
        { id: 'm4', rail: 'r3', type: 'ai', designation: '-K9', location: '' },
      ],
      ports: [
        { id: 'p1', device: 'c1', key: 'A', address: '10.0.0.1' },
        { id: 'p2', device: 'm2', key: 'S', address: '' },
      ],
      tasks: [{ id: 't1', controller: 'c1', name: 'Fast' }],
      networks: [{ id: 'n1', name: 'Cell', port: 'p1', kind: 'modbus-tcp' }],
      closing_cables: [{ id: 'w1', network: 'n1' }],
      stations: [
        {
          id: 's1',
          network: 'n1',
          name: 'Humidifier',
          address: '10.0.0.2',
          designation: '=HU1',
          location: '',
        },
      ],
      connections: [{ id: 'k1', station: 's1' }],
      exchanges: [{ id: 'x1', connection: 'k1', name: 'Measured' }],
      signals: [{ id: 'g1', controller: 'c1', name: 'Humidity', note: 'of the bed' }],
      links: [{ id: 'l1', signal: 'g1', place: 'x1' }],
    },
    [
      { key: 'ai', name: 'AI-8', order_number: 'T-AI8', rail: null, ports: [] },
      { key: 'ser', name: 'SER-2', order_number: 'T-SER', rail: {}, ports: [] },
    ],
  );
});

describe('the address of an object', () => {
  it.each([
    ['c1', '/p/plant/hardware/r1/c1'],
    ['t1', '/p/plant/hardware/r1/t1'],
    ['p1', '/p/plant/hardware/r1/p1'],
    ['p2', '/p/plant/hardware/r1/m2'],
    ['r2', '/p/plant/hardware/r2'],
    ['m1', '/p/plant/hardware/r1/m1'],
    ['m3', '/p/plant/hardware/r2/m3'],
    ['m4', '/p/plant/hardware/r3/m4'],
    ['n1', '/p/plant/networks/n1/n1'],
    ['w1', '/p/plant/networks/n1/w1'],
    ['s1', '/p/plant/networks/n1/s1'],
    ['k1', '/p/plant/networks/n1/k1'],
    ['x1', '/p/plant/networks/n1/x1'],
    ['g1', '/p/plant/signals/g1'],
    ['l1', '/p/plant/signals/g1'],
    ['gone', '/p/plant/hardware'],
  ])('%s is at %s', (id, path) => {
    expect(pathTo(plant, id)).toBe(path);
  });
});

describe('what is found by words', () => {
  it.each([
    ['humid', ['g1', 's1', 'm4', 'x1']],
    ['hum =hu1', ['s1']],
    ['10.0.0.2', ['s1']],
    ['10.0.0.1', ['p1']],
    ['bed', ['g1']],
    ['t-ser', ['m2']],
    ['-k', ['m1', 'm4']],
    ['ai-8 humidifier', ['m4']],
    ['cabinet', ['c1']],
    ['40103', ['x1']],
    ['no such thing', []],
    ['  ', []],
  ])('%j', (words, ids) => {
    plant.given.set('exchange.wire|x1', { reference: '40101', pieces: [{ label: '40103' }] });
    expect(find(plant, words).map((found) => found.id)).toEqual(ids);
  });

  it('asks for no registers unless a number is looked for', () => {
    plant.given.set('exchange.wire|x1', { reference: 'holding', pieces: [] });
    expect(find(plant, 'holding')).toEqual([]);
  });
});
