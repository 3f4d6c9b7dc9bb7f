import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { RowsInView } from '../../src/kit/rows.svelte';

const lists = fc.record({
  count: fc.integer({ min: 0, max: 400 }),
  row: fc.integer({ min: 10, max: 60 }),
  opened: fc.option(fc.record({ at: fc.nat(400), height: fc.integer({ min: 1, max: 300 }) })),
  height: fc.integer({ min: 0, max: 900 }),
  part: fc.double({ min: 0, max: 1, noNaN: true }),
});
type List = typeof lists extends fc.Arbitrary<infer T> ? T : never;

function view({ count, row, opened, height, part }: List) {
  const open = opened && opened.at < count ? { row: opened.at, height: opened.height } : null;
  const rows = new RowsInView(
    () => count,
    () => row,
    () => open,
  );
  rows.height = height;
  rows.scrolled = Math.max(0, rows.full - height) * part;
  return { rows, open };
}

describe('rows in view', () => {
  it('has every row drawn of which a pixel is seen, and not many more', () => {
    fc.assert(
      fc.property(lists, (list) => {
        const { rows } = view(list);
        for (let n = 0; n < list.count; n++) {
          const seen = rows.top(n) < rows.scrolled + list.height && rows.top(n + 1) > rows.scrolled;
          if (seen) expect(n >= rows.first && n < rows.end).toBe(true);
        }
        expect(rows.end - rows.first).toBeLessThanOrEqual(Math.ceil(list.height / list.row) + 19);
      }),
    );
  });

  it('is as high with what is left out as with all', () => {
    fc.assert(
      fc.property(lists, (list) => {
        const { rows, open } = view(list);
        expect(rows.full).toBe(list.count * list.row + (open?.height ?? 0));
        if (list.count)
          expect(rows.before + (rows.top(rows.end) - rows.top(rows.first)) + rows.behind).toBe(
            rows.full,
          );
      }),
    );
  });

  it('brings a row into view whole, and moves no further than that', () => {
    fc.assert(
      fc.property(lists, fc.nat(400), fc.integer({ min: 0, max: 40 }), (list, wanted, head) => {
        const { rows } = view(list);
        const n = Math.min(wanted, list.count - 1);
        const box = { scrollTop: rows.scrolled, clientHeight: list.height };
        const before = box.scrollTop;
        rows.reveal(box as HTMLElement, n, head);
        if (n < 0) expect(box.scrollTop).toBe(before);
        if (n < 0) return;
        const [top, bottom] = [rows.top(n), rows.top(n + 1)];
        const room = list.height - head;
        if (bottom - top > room) return;
        expect(box.scrollTop <= top && bottom <= box.scrollTop + room).toBe(true);
        const stays = before <= top && bottom <= before + room;
        expect(box.scrollTop).toBe(stays ? before : before > top ? top : bottom - room);
      }),
    );
  });
});
