import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { settled } from '../../src/kit/settled';

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

test('asks once nothing has changed for a moment, and takes the answer over', async () => {
  const take = vi.fn();
  const ask = vi.fn(async () => take);
  const end = settled(ask, 150);
  await vi.advanceTimersByTimeAsync(149);
  expect(ask).not.toHaveBeenCalled();
  end();
  settled(ask, 150);
  await vi.advanceTimersByTimeAsync(150);
  expect(ask).toHaveBeenCalledTimes(1);
  expect(take).toHaveBeenCalledTimes(1);
});

test('drops an answer that is no longer wanted, and one that failed', async () => {
  const take = vi.fn();
  const end = settled(() => new Promise((done) => setTimeout(() => done(take), 500)), 10);
  await vi.advanceTimersByTimeAsync(100);
  end();
  settled(() => Promise.reject(new Error('away')), 10);
  await vi.advanceTimersByTimeAsync(1000);
  expect(take).not.toHaveBeenCalled();
});
