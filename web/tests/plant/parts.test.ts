import { beforeEach, describe, expect, it } from 'vitest';
import type { Part, PartName } from '../../src/api/client';
import { Parts } from '../../src/plant/parts.svelte';

type Want = [string, string];
type Asked = { want: Want[]; answer: (value: string | null) => void; fail: () => void };

let asked: Asked[];
let parts: Parts;
const turn = () => new Promise((done) => setTimeout(done));
const NAME = 'rail.power' as PartName;

beforeEach(() => {
  asked = [];
  parts = new Parts(
    (want) =>
      new Promise((done, failed) =>
        asked.push({
          want,
          answer: (value) =>
            done(
              value === null
                ? []
                : want.map(
                    ([part, root]) => ({ part, root, result: `${root}:${value}` }) as never as Part,
                  ),
            ),
          fail: () => failed(new Error('away')),
        }),
      ),
  );
});

describe('parts of the analysis', () => {
  it('are asked for together, once, and are there when they have come', async () => {
    expect(parts.get(NAME, 'r1')).toBeUndefined();
    expect(parts.get(NAME, 'r2')).toBeUndefined();
    parts.get(NAME, 'r1');
    await turn();
    expect(asked.map((a) => a.want)).toEqual([
      [
        ['rail.power', 'r1'],
        ['rail.power', 'r2'],
      ],
    ]);
    parts.get(NAME, 'r1');
    asked[0]!.answer('x');
    await turn();
    expect(parts.get(NAME, 'r1')).toBe('r1:x');
    await turn();
    expect(asked).toHaveLength(1);
  });

  it('keep the newer of two answers, whichever comes last', async () => {
    parts.get(NAME, 'r1');
    await turn();
    parts.renew(['rail.power|r1']);
    await turn();
    asked[1]!.answer('new');
    await turn();
    asked[0]!.answer('old');
    await turn();
    expect(parts.get(NAME, 'r1')).toBe('r1:new');
  });

  it('are renewed only where somebody has looked at them', async () => {
    parts.get(NAME, 'r1');
    await turn();
    asked[0]!.answer('x');
    await turn();
    parts.renew(['rail.power|r1', 'rail.power|r9', 'rail.field|r1']);
    await turn();
    expect(asked[1]!.want).toEqual([['rail.power', 'r1']]);
    expect(parts.get(NAME, 'r1')).toBe('r1:x');
    parts.renewAll();
    await turn();
    expect(asked[2]!.want).toEqual([['rail.power', 'r1']]);
  });

  it('stay as they were while the server is away, and go when it says they are no more', async () => {
    parts.get(NAME, 'r1');
    await turn();
    asked[0]!.answer('x');
    await turn();
    parts.renewAll();
    await turn();
    asked[1]!.fail();
    await turn();
    expect(parts.get(NAME, 'r1')).toBe('r1:x');
    parts.renewAll();
    await turn();
    asked[2]!.answer(null);
    await turn();
    expect(parts.get(NAME, 'r1')).toBeUndefined();
  });

  it('are asked for in portions that the server takes', async () => {
    for (let n = 0; n < 1100; n++) parts.get(NAME, `r${n}`);
    await turn();
    expect(asked.map((a) => a.want.length)).toEqual([500, 500, 100]);
    expect(new Set(asked.flatMap((a) => a.want.map(([, root]) => root))).size).toBe(1100);
  });
});
