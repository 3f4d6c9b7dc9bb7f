import { describe, expect, it } from 'vitest';
import fc from 'fast-check';
import { drawn, grouped, variableOf } from '../../../src/stages/signals/grouping';

describe('grouped', () => {
  it('keeps every row that is not folded away, once, behind its heading', () => {
    const names = fc.constantFrom('', 'a', 'b', 'c');
    fc.assert(
      fc.property(fc.array(names), fc.subarray(['', 'a', 'b', 'c']), (rows, away) => {
        const numbered = rows.map((name, n) => ({ name, n }));
        const { rows: shown, heads } = grouped(numbered, (row) => row.name, new Set(away));
        const { lines, lineOf } = drawn(shown.length, heads);
        expect([...shown].sort((x, y) => x.n - y.n)).toEqual(
          numbered.filter((row) => !away.includes(row.name)),
        );
        expect(heads.map((head) => head.count)).toEqual(
          heads.map((head) => rows.filter((name) => name === head.name).length),
        );
        expect(lines.length).toBe(shown.length + heads.length);
        let group: string | null = null;
        for (const line of lines) {
          if (typeof line !== 'number') group = line.name;
          else {
            expect(shown[line]!.name).toBe(group);
            expect(lines[lineOf[line]!]).toBe(line);
          }
        }
        // Those of no group come last.
        const last = heads.findIndex((head) => head.name === '');
        expect(last === -1 || last === heads.length - 1).toBe(true);
      }),
    );
  });

  it('tells the variable of an element', () => {
    expect(['Fan1.Speed', 'Bins[3]', 'Silos[2].Level', 'Plain'].map(variableOf)).toEqual([
      'Fan1',
      'Bins',
      'Silos',
      '',
    ]);
  });
});
