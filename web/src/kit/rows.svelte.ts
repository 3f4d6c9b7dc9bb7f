/** How many rows are drawn beyond what is seen, so that scrolling meets no gap. */
const BEYOND = 8;

/** A row that is opened, and by how much it is higher for that, px. */
export type Opened = { row: number; height: number };

/**
 * The stretch of a long list that is in view: only that is drawn. Rows are equally high, one may be opened. The box that
 * scrolls binds `scrolled` and `height` (px); `first` and `end` say which rows those are.
 */
export class RowsInView {
  scrolled = $state(0);
  height = $state(400);
  readonly #count: () => number;
  readonly #row: () => number;
  readonly #opened: () => Opened | null;

  constructor(count: () => number, row: () => number, opened: () => Opened | null = () => null) {
    this.#count = count;
    this.#row = row;
    this.#opened = opened;
  }

  readonly first = $derived.by(() =>
    Math.max(0, Math.min(this.#count() - 1, this.#at(this.scrolled) - BEYOND)),
  );
  readonly end = $derived.by(() =>
    Math.min(this.#count(), Math.max(0, this.#at(this.scrolled + this.height) + 1 + BEYOND)),
  );
  /** How high all rows are. */
  readonly full = $derived.by(() => this.top(this.#count()));
  /** Room for the rows before and behind those drawn. */
  readonly before = $derived.by(() => this.top(this.first));
  readonly behind = $derived.by(() => this.full - this.top(this.end));
  /** How many rows are seen at once. */
  readonly page = $derived.by(() => Math.max(1, Math.floor(this.height / this.#row()) - 1));

  /** Where a row begins, px from the first. */
  top(row: number): number {
    const opened = this.#opened();
    return row * this.#row() + (opened && row > opened.row ? opened.height : 0);
  }

  /** The row that lies at a height. */
  #at(y: number): number {
    const opened = this.#opened();
    const below = opened && y > this.top(opened.row) + this.#row();
    const folded = below ? Math.max(this.top(opened.row), y - opened.height) : y;
    return Math.floor(folded / this.#row());
  }

  /** Scrolls a box so far that a row is seen with what it opens, and no further. */
  reveal(box: HTMLElement | undefined, row: number, head = 0) {
    if (!box || row < 0) return;
    const top = this.top(row);
    const bottom = this.top(row + 1);
    if (top < box.scrollTop) box.scrollTop = top;
    else if (bottom > box.scrollTop + box.clientHeight - head)
      box.scrollTop = bottom + head - box.clientHeight;
  }
}
