import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Problem, Unreachable, type EditAnswer } from '../../src/api/client';
import { Outbox } from '../../src/plant/outbox.svelte';

const ANSWER = { revision: 2 } as EditAnswer;
const told = { answered: vi.fn(), refused: vi.fn(), away: vi.fn() };
let outbox: Outbox;

beforeEach(() => {
  vi.useFakeTimers();
  vi.resetAllMocks();
  outbox = new Outbox(told);
});
afterEach(() => void vi.useRealTimers());

describe('an edit on its way', () => {
  it('is told when it is answered', async () => {
    expect(await outbox.send('Rename', async () => ANSWER)).toBe(ANSWER);
    expect(told.answered).toHaveBeenCalledExactlyOnceWith(ANSWER);
    expect(outbox.unsent).toEqual([]);
  });

  it('is thrown to whoever made it when it is refused, and told', async () => {
    const problem = new Problem(422, 'Not possible', 'No slot is free.');
    await expect(outbox.send('Insert', () => Promise.reject(problem))).rejects.toBe(problem);
    expect(told.refused).toHaveBeenCalledExactlyOnceWith(problem);
    expect(outbox.unsent).toEqual([]);
  });

  it('waits while the server is away, and is sent again until it is answered', async () => {
    let away = 3;
    const send = vi.fn(async () => {
      if (away-- > 0) throw new Unreachable('away');
      return ANSWER;
    });
    expect(await outbox.send('Rename', send)).toBeNull();
    expect(outbox.unsent.map((u) => u.label)).toEqual(['Rename']);
    await vi.advanceTimersByTimeAsync(4100);
    expect(outbox.unsent).toHaveLength(1);
    expect(told.answered).not.toHaveBeenCalled();
    await vi.advanceTimersByTimeAsync(2000);
    expect(send).toHaveBeenCalledTimes(4);
    expect(told.away).toHaveBeenCalledTimes(3);
    expect(told.answered).toHaveBeenCalledExactlyOnceWith(ANSWER);
    expect(outbox.unsent).toEqual([]);
    await vi.advanceTimersByTimeAsync(60_000);
    expect(send).toHaveBeenCalledTimes(4);
  });

  it('no longer waits when it is refused at last', async () => {
    const send = vi
      .fn<() => Promise<EditAnswer>>()
      .mockRejectedValueOnce(new Unreachable('away'))
      .mockRejectedValue(new Problem(422, 'Not possible', 'Gone.'));
    await outbox.send('Rename', send);
    await vi.advanceTimersByTimeAsync(10_000);
    expect(send).toHaveBeenCalledTimes(2);
    expect(outbox.unsent).toEqual([]);
    expect(told.refused).toHaveBeenCalledTimes(1);
  });

  it('waits beside others, each for itself', async () => {
    const gone = () => Promise.reject(new Unreachable('away'));
    await outbox.send('One', gone);
    let away = true;
    await outbox.send('Two', async () => {
      if (away) throw new Unreachable('away');
      return ANSWER;
    });
    away = false;
    await vi.advanceTimersByTimeAsync(2100);
    expect(outbox.unsent.map((u) => u.label)).toEqual(['One']);
  });

  it('is laid before the user when it meets what another has done', async () => {
    const overlaps = [{ field: 'name' }] as never;
    const rest = async () => {};
    const met = () => Promise.reject(new Problem(409, 'Conflict', 'Also changed.', '', overlaps));
    expect(await outbox.send('Undo: Rename', met, rest)).toBeNull();
    expect(outbox.conflict).toEqual({ label: 'Undo: Rename', overlaps, rest });
    expect(told.refused).not.toHaveBeenCalled();
  });
});
