<script lang="ts">
  import { SvelteSet } from 'svelte/reactivity';
  import { Problem, type Edit } from '../../api/client';
  import { plural, shown } from '../../kit/numbers';
  import type { AxisWork } from './axisWork.svelte';
  import { LogScale, rounded, SCALES, type Mark } from './scales';

  /** One value of all axes on one scale: the marked ones are dragged together, by the same factor, or typed. */
  let { work, ondone }: { work: AxisWork; ondone: () => void } = $props();

  const plant = $derived(work.plant);
  const picked = new SvelteSet<string>();
  let key = $state('speed');
  let typed = $state('');
  let problem = $state('');
  let dragged = $state<{ from: number; factor: number; group: string } | null>(null);

  const WIDTH = 460;
  const ROW = 24;
  const scale = $derived(SCALES.find((one) => one.key === key) ?? SCALES[0]!);
  const groups = $derived.by(() => {
    const found: Record<string, Mark[]> = {};
    for (const axis of work.axes) {
      const chain = plant.part('axis.chain', axis.id);
      const value = axis.settings?.[key];
      if (chain && typeof value === 'number' && value > 0)
        (found[scale.unit(chain)] ??= []).push({ id: axis.id, name: axis.name, value });
    }
    return Object.entries(found);
  });
  const lacking = $derived(
    work.axes.length - groups.reduce((sum, [, marks]) => sum + marks.length, 0),
  );
  const chosen = $derived(
    groups.flatMap(([, marks]) => marks).filter((mark) => picked.has(mark.id)),
  );
  const now = (mark: Mark, unit: string) =>
    dragged && dragged.group === unit && picked.has(mark.id)
      ? rounded(mark.value * dragged.factor)
      : mark.value;

  async function set(values: [string[], number | string][]) {
    const path = `settings.${key}`;
    const edits = values.map(([ids, value]): Edit => ({
      kind: 'set',
      ids,
      values: { [path]: value },
    }));
    const count = values.reduce((sum, [ids]) => sum + ids.length, 0);
    const label = `${scale.label} of ${plural(count, 'axis', 'axes')}`;
    const edit: Edit = edits.length === 1 ? edits[0]! : ({ kind: 'batch', edits } as Edit);
    problem = '';
    await plant.edit(edit, label).catch((error: unknown) => {
      problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    });
    if (!problem) typed = '';
  }

  function by(unit: string, factor: number) {
    const marks = groups.find(([one]) => one === unit)?.[1] ?? [];
    const moved = marks.filter((mark) => picked.has(mark.id));
    if (moved.length && factor !== 1)
      void set(moved.map((mark) => [[mark.id], rounded(mark.value * factor)]));
  }

  function down(event: PointerEvent, mark: Mark, unit: string) {
    if (!plant.mayEdit) return;
    if (!picked.has(mark.id)) {
      if (!event.shiftKey) picked.clear();
      picked.add(mark.id);
    }
    dragged = { from: event.clientX, factor: 1, group: unit };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }
  function move(event: PointerEvent, along: LogScale) {
    if (dragged) dragged = { ...dragged, factor: along.factor(event.clientX - dragged.from) };
  }
  function up() {
    if (dragged) by(dragged.group, dragged.factor);
    dragged = null;
  }
  function keyed(event: KeyboardEvent, mark: Mark, unit: string) {
    const step = event.key === 'ArrowRight' ? 1.01 : event.key === 'ArrowLeft' ? 1 / 1.01 : 0;
    if (!step) return;
    event.preventDefault();
    picked.add(mark.id);
    by(unit, step);
  }
  function toggle(id: string) {
    if (!picked.delete(id)) picked.add(id);
  }
</script>

<section aria-label="Side by side">
  <div class="row head">
    <label
      >Value <select bind:value={key}>
        {#each SCALES as one (one.key)}<option value={one.key}>{one.label}</option>{/each}
      </select></label
    >
    <span class="quiet"
      >{lacking ? `not set on ${plural(lacking, 'axis', 'axes')}` : 'set on all axes'}</span
    >
    <span class="wide"></span>
    {#if plant.mayEdit && chosen.length}
      <label
        >{plural(chosen.length, 'axis', 'axes')} to
        <input
          class="mono"
          aria-label="Value of the marked axes"
          bind:value={typed}
          onkeydown={(event) => {
            if (event.key === 'Enter' && typed.trim())
              void set([[chosen.map((mark) => mark.id), typed.trim()]]);
          }}
        /></label
      >
    {/if}
    <button onclick={ondone}>Done</button>
  </div>
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {#each groups as [unit, marks] (unit)}
    {@const along = new LogScale(
      marks.map((mark) => mark.value),
      WIDTH,
    )}
    <div class="group">
      <div class="names">
        {#each marks as mark (mark.id)}
          <label style="height: {ROW}px"
            ><input
              type="checkbox"
              checked={picked.has(mark.id)}
              onchange={() => toggle(mark.id)}
            />
            {mark.name}</label
          >
        {/each}
      </div>
      <svg width={WIDTH + 20} height={marks.length * ROW + 24} role="group" aria-label={unit}>
        {#each along.ticks() as tick (tick)}
          <line
            class="tick"
            x1={along.at(tick) + 10}
            x2={along.at(tick) + 10}
            y1="0"
            y2={marks.length * ROW}
          />
          <text x={along.at(tick) + 10} y={marks.length * ROW + 16} text-anchor="middle"
            >{shown(tick)}</text
          >
        {/each}
        {#each marks as mark, n (mark.id)}
          {@const value = now(mark, unit)}
          <line class="lane" x1="10" x2={WIDTH + 10} y1={n * ROW + 12} y2={n * ROW + 12} />
          <rect
            class="mark"
            class:picked={picked.has(mark.id)}
            x={along.at(value) + 4}
            y={n * ROW + 3}
            width="12"
            height="18"
            rx="2"
            role="slider"
            tabindex="0"
            aria-label="{scale.label} of {mark.name}"
            aria-valuenow={value}
            onpointerdown={(event) => down(event, mark, unit)}
            onpointermove={(event) => move(event, along)}
            onpointerup={up}
            onkeydown={(event) => keyed(event, mark, unit)}
          />
        {/each}
      </svg>
      <div class="values mono">
        {#each marks as mark (mark.id)}
          <span style="height: {ROW}px">{shown(now(mark, unit), 5)} {unit}</span>
        {/each}
      </div>
    </div>
  {:else}
    <p class="quiet">No axis has it set.</p>
  {/each}
</section>

<style>
  section {
    margin: var(--s4) 0;
  }
  .head {
    gap: var(--s4);
  }
  .head select {
    width: auto;
  }
  .head input {
    width: 92px;
    text-align: right;
  }
  .group {
    display: grid;
    grid-template-columns: 150px auto 1fr;
    gap: var(--s4);
    margin-top: var(--s4);
  }
  .names label,
  .values span {
    display: flex;
    align-items: center;
    gap: var(--s2);
  }
  .names label {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .tick {
    stroke: var(--rule);
  }
  .lane {
    stroke: var(--rule-2);
  }
  .mark {
    fill: var(--paper);
    stroke: var(--ink);
    stroke-width: 2;
    cursor: ew-resize;
  }
  .picked {
    fill: var(--tarn);
    stroke: var(--tarn);
  }
  text {
    fill: var(--ink-2);
    font-size: var(--f-small);
  }
  .problem {
    color: var(--bracken);
  }
</style>
