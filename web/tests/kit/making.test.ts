import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Problem, type Edit } from '../../src/api/client';
import { Making } from '../../src/kit/making.svelte';
import { FakePlant } from '../fakePlant';

let plant: FakePlant;
let making: Making;
let name: string;
const tried = vi.fn();

beforeEach(() => {
  vi.useFakeTimers();
  tried.mockClear();
  name = 'Pump';
  plant = new FakePlant();
  plant.tryOut = async (edit, label) => void tried(edit, label) as never;
  making = new Making(plant, () => ({ kind: 'remove', ids: [name] }) as Edit);
});
afterEach(() => {
  plant.close();
  vi.useRealTimers();
});

describe('a form that makes something', () => {
  it('tries out what it would bring once typing rests, as it then is', async () => {
    making.changed('Add');
    await vi.advanceTimersByTimeAsync(100);
    name = 'Pump 2';
    making.changed('Add');
    await vi.advanceTimersByTimeAsync(119);
    expect(tried).not.toHaveBeenCalled();
    await vi.advanceTimersByTimeAsync(1);
    expect(tried).toHaveBeenCalledExactlyOnceWith({ kind: 'remove', ids: ['Pump 2'] }, 'Add');
  });

  it('makes it, and what was about to be tried out is not any more', async () => {
    making.changed('Add');
    expect(await making.make('Add')).toEqual({ tags: {} });
    await vi.advanceTimersByTimeAsync(500);
    expect(tried).not.toHaveBeenCalled();
    expect(plant.made).toEqual([{ edit: { kind: 'remove', ids: ['Pump'] }, label: 'Add' }]);
  });

  it('says why it was refused until something is changed', async () => {
    plant.refuse = new Problem(422, 'Not possible', 'There is a Pump already.', 'name');
    expect(await making.make('Add')).toBeNull();
    expect(making.problem?.field).toBe('name');
    making.changed('Add');
    expect(making.problem).toBeNull();
    plant.refuse = new Error('something else');
    expect(await making.make('Add')).toBeNull();
    expect(making.problem).toBeNull();
  });

  it('leaves nothing behind when it is left', async () => {
    const then = vi.fn();
    plant.previewLabel = 'Add';
    making.changed('Add');
    making.leave(then);
    await vi.advanceTimersByTimeAsync(500);
    expect(tried).not.toHaveBeenCalled();
    expect(plant.previewLabel).toBe('');
    expect(then).toHaveBeenCalledTimes(1);
  });
});
