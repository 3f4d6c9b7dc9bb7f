<script lang="ts">
  import type { ScannerWork } from './scannerWork.svelte';
  import { GRID, handles, withCorner, type Handle, type Point } from './shapes';

  /** What the chosen shape is taken hold of by: dragged, moved by keys, split, taken away. */
  let {
    work,
    at,
    sx,
    sy,
    place,
  }: {
    work: ScannerWork;
    /** Where the scanner stands. */
    at: Point;
    sx: (x: number) => number;
    sy: (y: number) => number;
    /** Where in the plan the pointer is, snapped. */
    place: (event: PointerEvent) => Point;
  } = $props();

  const grips = $derived<Handle[]>(
    work.target && work.plant.mayEdit ? handles(work.target.shape, at) : [],
  );
  let held = $state('');
  const grip = (handle: Handle) => ({
    onpointerdown: (event: PointerEvent) => {
      (event.currentTarget as Element).setPointerCapture(event.pointerId);
      held = handle.key;
    },
    onpointermove: (event: PointerEvent) => {
      if (held !== handle.key || !work.target) return;
      const now = grips.find((one) => one.key === handle.key);
      if (now) work.drag(work.target.row, now.to(place(event)));
    },
    onpointerup: () => {
      if (held) void work.drop();
      held = '';
    },
    onpointercancel: () => {
      held = '';
      work.cancel();
    },
    onkeydown: (event: KeyboardEvent) => key(event, handle),
    ondblclick: () => split(handle),
  });

  function key(event: KeyboardEvent, handle: Handle) {
    const target = work.target;
    if (!target) return;
    const { row, shape } = target;
    if (event.key === 'Escape' && held) {
      held = '';
      work.cancel();
      event.stopPropagation();
      return;
    }
    const polygon = shape.kind === 'polygon';
    if (polygon && (event.key === 'Delete' || event.key === 'Backspace')) {
      event.preventDefault();
      event.stopPropagation();
      const n = Number(handle.key.slice(1));
      if (shape.points.length > target.least)
        void work.draw(row, { kind: 'polygon', points: shape.points.toSpliced(n, 1) });
      return;
    }
    if (polygon && (event.key === '+' || event.key === 'Insert')) {
      event.preventDefault();
      split(handle);
      return;
    }
    const by = (event.shiftKey ? 10 : 1) * GRID;
    const step: Record<string, Point> = {
      ArrowLeft: [-by, 0],
      ArrowRight: [by, 0],
      ArrowUp: [0, by],
      ArrowDown: [0, -by],
    };
    const move = step[event.key];
    if (!move) return;
    event.preventDefault();
    void work.draw(row, handle.to([handle.at[0] + move[0], handle.at[1] + move[1]]));
  }

  function split(handle: Handle) {
    const shape = work.target?.shape;
    if (!work.target || shape?.kind !== 'polygon') return;
    const n = Number(handle.key.slice(1));
    // Of a line nothing leads from its last corner to its first.
    const beyond = work.target.least === 2 && n === shape.points.length - 1;
    void work.draw(work.target.row, withCorner(shape, beyond ? n - 1 : n));
  }
</script>

{#each grips as handle (handle.key)}
  <circle
    class="grip"
    role="button"
    tabindex="0"
    aria-label="{handle.label} of {work.target?.called}: {Math.round(handle.at[0])}, {Math.round(
      handle.at[1],
    )}"
    cx={sx(handle.at[0])}
    cy={sy(handle.at[1])}
    r="5.5"
    {...grip(handle)}
  />
{/each}

<style>
  .grip {
    fill: var(--leaf);
    stroke: var(--heather);
    stroke-width: 2;
    cursor: grab;
  }
  .grip:focus-visible {
    fill: var(--heather);
  }
</style>
