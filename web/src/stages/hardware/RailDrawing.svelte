<script lang="ts">
  import type { Snippet } from 'svelte';
  import { headName } from '../../plant/rails';
  import FieldGroups from './FieldGroups.svelte';
  import { boxes, gapAt, seatAt } from './layout';
  import ModuleBox from './ModuleBox.svelte';
  import RailHead from './RailHead.svelte';
  import type { RailWork } from './railWork.svelte';

  /** The rail as it is mounted, with the keys and the pointer that rearrange it; what belongs below it goes in `below`. */
  let {
    work,
    onletter,
    below,
  }: {
    work: RailWork;
    /** A command of one letter; true when it was one. */
    onletter: (letter: string) => boolean;
    below: Snippet<[ReturnType<typeof boxes>]>;
  } = $props();

  // How far the pointer goes before a press is a drag, and how far beside the rail it still means the rail, px.
  const DRAG = 6;
  const BESIDE = 20;

  let width = $state(880);
  let drawing = $state<HTMLDivElement>();
  let drag = $state.raw<{
    ids: string[];
    type: string;
    startX: number;
    moved: boolean;
    target: number;
  } | null>(null);

  const plant = $derived(work.plant);
  const rail = $derived(work.rail!);
  const head = $derived(work.head!);
  const seats = $derived(work.seats);
  const power = $derived(plant.part('rail.power', rail.id));
  const field = $derived(plant.part('rail.field', rail.id));
  const laid = $derived(boxes(seats, work.at, width));
  // Of a head whose supply nobody knows nothing can be said to be short.
  const firstShort = $derived(
    power?.known ? power.steps.findIndex((step) => step.left_ma < 0) : -1,
  );
  const gapX = $derived(
    drag && drag.target >= 0 ? (laid.seats[drag.target]?.x ?? laid.total) - 2 : null,
  );

  export function focus() {
    drawing?.focus({ preventScroll: true });
  }

  /** Begin to drag modules of the rail, or a type from the shelf. */
  export function grab(event: PointerEvent, ids: string[], type: string) {
    if (event.button !== 0 || !plant.mayEdit || (!ids.length && !type)) return;
    drag = { ids, type, startX: event.clientX, moved: false, target: -1 };
  }

  function choose(n: number, extend = false) {
    work.choose(n, extend);
    focus();
  }

  function key(event: KeyboardEvent) {
    const letter = event.key.toLowerCase();
    const step = event.key === 'ArrowLeft' ? -1 : event.key === 'ArrowRight' ? 1 : 0;
    const last = seats.length - 1;
    const within = (n: number, least: number) => Math.max(least, Math.min(last, n));
    if (event.ctrlKey || event.metaKey) {
      if (!onletter(`ctrl+${letter}`)) return;
    } else if (step && event.altKey) void work.move(step);
    else if (step && event.shiftKey) choose(within((work.until ?? work.at) + step, 0), true);
    else if (step) choose(within(work.at + step, -1));
    else if (event.key === 'Home') choose(0);
    else if (event.key === 'End') choose(last);
    else if (!plant.mayEdit || !onletter(letter)) return;
    event.preventDefault();
  }

  const held = (n: number) => {
    const module = seats[n]?.module;
    return module ? (work.range.includes(n) ? work.ids : [module]) : [];
  };

  const dropping = (n: number) =>
    drag!.type ? work.insertion(drag!.type, n) : work.moving(drag!.ids, n);

  function dragged(event: PointerEvent) {
    if (!drag || !drawing) return;
    if (!drag.moved && Math.abs(event.clientX - drag.startX) < DRAG && drag.ids.length) return;
    const area = drawing.getBoundingClientRect();
    const inside = event.clientY > area.top - BESIDE && event.clientY < area.bottom + BESIDE;
    const x = event.clientX - area.left;
    const under = work.mounting?.addressed ? seatAt(laid.seats, x) : gapAt(laid.seats, x);
    const n = inside ? under : -1;
    if (n === drag.target && drag.moved) return;
    drag = { ...drag, moved: true, target: n };
    if (n < 0) plant.endPreview();
    else {
      const { edit, label } = dropping(n);
      void plant.tryOut(edit, label, [['rail.power', rail.id]]);
    }
  }

  function dropped() {
    if (drag?.moved && drag.target >= 0) void work.made(dropping(drag.target));
    else if (drag?.moved) plant.endPreview();
    drag = null;
  }

  function wrong(id: string | null): 'error' | 'warning' | '' {
    if (!id) return '';
    const found = plant.findingsAt([id]).filter((f) => f.stage === 'hardware');
    return found.some((f) => f.severity === 'error') ? 'error' : found.length ? 'warning' : '';
  }
</script>

<svelte:window
  onpointermove={dragged}
  onpointerup={dropped}
  onpointercancel={() => (drag = null)}
/>

<div class="scroll" bind:clientWidth={width}>
  {#if field && work.mounting}<FieldGroups
      {field}
      head={laid.head}
      placed={laid.seats}
      slots={seats.map((s) => s.slot)}
      width={laid.total}
    />{/if}
  <div
    class="rail"
    bind:this={drawing}
    style:width="{laid.total}px"
    role="listbox"
    tabindex="0"
    aria-label="Rail of {headName(plant, head)}"
    onkeydown={key}
  >
    <div class="bar"></div>
    <RailHead
      {plant}
      {head}
      name={work.mounting?.head_name ?? ''}
      width={laid.head.width}
      chosen={work.at === -1 && plant.selection[0] === head.id}
      onchoose={() => choose(-1)}
    />
    {#each seats as item, n (item.module ?? `open-${n}`)}
      {@const box = laid.seats[n]}
      {#if box}
        <ModuleBox
          {plant}
          seat={item}
          {box}
          chosen={item.module ? plant.selection.includes(item.module) : n === work.at}
          wrong={wrong(item.module ?? null)}
          moving={drag?.moved === true && item.module != null && drag.ids.includes(item.module)}
          short={firstShort >= 0 &&
            n >= firstShort &&
            (power?.steps[n]?.left_ma ?? 0) < 0 &&
            item.module != null &&
            item.kind !== 'cover'}
          onchoose={(event) => choose(n, event.shiftKey)}
          ongrab={(event) => grab(event, held(n), '')}
        />
      {/if}
    {/each}
    {#if gapX !== null}<div class="gap" style:left="{gapX}px"></div>{/if}
  </div>
  {@render below(laid)}
</div>

<style>
  .scroll {
    overflow-x: auto;
  }
  .rail {
    position: relative;
    height: 306px;
    min-width: 100%;
    margin-bottom: var(--s3);
    outline: none;
  }
  .bar {
    position: absolute;
    left: 0;
    right: 0;
    top: 250px;
    height: 9px;
    background: var(--sunk);
    border: solid var(--rule);
    border-width: 1px 0;
  }
  .gap {
    position: absolute;
    top: -4px;
    bottom: -4px;
    width: 4px;
    background: var(--heather);
    z-index: 3;
  }
</style>
