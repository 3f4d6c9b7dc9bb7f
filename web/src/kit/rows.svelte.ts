/** How many rows are drawn beyond what is seen, so that scrolling meets no gap. */
const BEYOND = 8;

/**
 * The stretch of a long list of equally high rows that is in view: only that is drawn. The box that scrolls binds
 * `scrolled` and `height` (px); `first` and `end` say which rows those are.
 */
export class RowsInView {
  scrolled = $state(0);
  height = $state(400);
  readonly #count: () => number;
  readonly #row: () => number;

  constructor(count: () => number, row: () => number) {
    this.#count = count;
    this.#row = row;
  }

  readonly first = $derived.by(() =>
    Math.max(0, Math.min(this.#count() - 1, Math.floor(this.scrolled / this.#row()) - BEYOND)),
  );
  readonly end = $derived.by(() =>
    Math.min(
      this.#count(),
      Math.max(0, Math.ceil((this.scrolled + this.height) / this.#row()) + BEYOND),
    ),
  );
  /** Room for the rows before and behind those drawn. */
  readonly before = $derived.by(() => this.first * this.#row());
  readonly behind = $derived.by(() => Math.max(0, this.#count() - this.end) * this.#row());

  /** Scrolls a box so far that a row is seen, and no further. */
  reveal(box: HTMLElement | undefined, row: number, head = 0) {
    if (!box || row < 0) return;
    const top = row * this.#row();
    if (top < box.scrollTop) box.scrollTop = top;
    else if (top + this.#row() > box.scrollTop + box.clientHeight - head)
      box.scrollTop = top + this.#row() + head - box.clientHeight;
  }
}
