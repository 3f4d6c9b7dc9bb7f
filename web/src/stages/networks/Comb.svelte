<script lang="ts">
  import Mark from '../../kit/Mark.svelte';
  import { plural, shown } from '../../kit/numbers';
  import { portLabel } from '../../plant/ports';
  import type { PlantStore } from '../../plant/store.svelte';
  import { Drawing, LEFT, placed, type CombNode, type Placed } from './comb';
  import CombCables from './CombCables.svelte';
  import CombOverview from './CombOverview.svelte';
  import { condition } from './condition';

  /**
   * An Ethernet network as its cables run: the controller's cable as the spine, each switch a bar with its sockets,
   * stations as teeth, what hangs behind a station to its right. A cable is as thick as it is full; where multicast
   * comes along that nobody there asked for, it is hatched.
   */
  let {
    plant,
    network,
    chosen,
    onchoose,
    onhang,
  }: {
    plant: PlantStore;
    network: string;
    chosen: string;
    onchoose: (id: string) => void;
    onhang?: (id: string, upstream: string | null) => void;
  } = $props();

  // What stands further to the side than this is not drawn.
  const BEYOND = 300;
  // How near the side a drag scrolls, and how far at a time, px.
  const EDGE = 40;
  const SCROLL = 12;

  let room = $state(860);
  let left = $state(0);
  const row = $derived(plant.row('networks', network));
  const port = $derived(plant.row('ports', row?.port));
  const tree = $derived(plant.part('network.tree', network));
  const longest = $derived(
    Math.max(
      0,
      ...(tree?.nodes ?? []).map((n) => plant.row('stations', n.station)?.name.length ?? 0),
    ),
  );
  const drawing = $derived(
    new Drawing(placed(tree?.nodes ?? [], tree?.said ?? true), room, longest),
  );
  const seen = $derived(drawing.within(left - BEYOND, left + room + BEYOND));

  // What is chosen comes into view, wherever it was chosen.
  $effect(() => {
    const p = drawing.at.get(chosen);
    const x = p && drawing.x(p);
    if (x === undefined || !board) return;
    const from = board.scrollLeft;
    if (x < from + LEFT || x > from + room - 20)
      board.scrollLeft = Math.max(0, x - (room + LEFT) / 2);
  });

  function carries(node: CombNode): string {
    const flood = node.flood_packets_s
      ? `, ${shown(node.flood_packets_s, 4)} packets/s of it multicast that nobody there asked for`
      : '';
    return `${shown(node.in_mbit_s, 3)} Mbit/s towards the controller, ${shown(node.out_mbit_s, 3)} Mbit/s away from it${flood}`;
  }

  /** Where a switch's name begins: at its bar, or beside the cable that comes down to it. */
  function switchLabel(p: Placed): number {
    return p.row && !p.onward ? drawing.x(p) + 5 : drawing.barStart(p);
  }

  let drag = $state.raw<{ id: string; x: number; y: number; moved: boolean } | null>(null);
  let over = $state<string | null>(null);
  let board = $state<HTMLDivElement>();

  function begin(id: string, event: PointerEvent) {
    if (onhang && event.button === 0)
      drag = { id, x: event.clientX, y: event.clientY, moved: false };
  }

  /** What the pointer is over: a switch's bar, a device, or the controller's port. */
  function move(event: PointerEvent) {
    if (!drag) return;
    const moved =
      drag.moved || Math.abs(event.clientX - drag.x) + Math.abs(event.clientY - drag.y) > 6;
    drag = { ...drag, moved };
    const target = (event.target as Element | null)?.closest('[data-hang]');
    over = moved && target && board?.contains(target) ? target.getAttribute('data-hang') : null;
    if (moved && board) {
      const at = event.clientX - board.getBoundingClientRect().left;
      if (at < EDGE) board.scrollLeft -= SCROLL;
      else if (at > room - EDGE) board.scrollLeft += SCROLL;
    }
  }

  function drop() {
    const held = drag;
    const onto = over;
    drag = null;
    over = null;
    if (held?.moved && onto !== null && onto !== held.id)
      onhang?.(held.id, onto === '' ? null : onto);
  }
</script>

<svelte:window onpointermove={drag ? move : undefined} onpointerup={drag ? drop : undefined} />

{#if tree}
  <div
    class="comb"
    class:upright={drawing.upright}
    bind:clientWidth={room}
    bind:this={board}
    onscroll={() => (left = board?.scrollLeft ?? 0)}
    style:height="{drawing.height + (drawing.width > room ? 12 : 0)}px"
    role="listbox"
    aria-label="Stations in route order"
    style:--dot="{Math.max(7, Math.min(16, drawing.step - 3))}px"
  >
    <CombCables {tree} {drawing} {seen} {chosen} {over} />
    <div
      class="node controller"
      class:over={over === ''}
      data-hang=""
      style:height="{drawing.height}px"
    >
      <span class="dot filled"></span>
      <strong>{port ? portLabel(plant, port) : 'on no port'}</strong>
      <span class="mono address">{port?.address ?? ''}</span>
    </div>
    {#each seen as p (p.node.station)}
      {@const station = plant.row('stations', p.node.station)}
      {@const state = condition(plant, p.node.station)}
      {#if station}
        <button
          class="node plain"
          class:switch={p.node.switch}
          class:chosen={chosen === station.id}
          class:over={over === station.id}
          class:held={drag?.moved && drag.id === station.id}
          role="option"
          aria-selected={chosen === station.id}
          data-hang={station.id}
          style:left="{p.node.switch ? switchLabel(p) : drawing.x(p)}px"
          style:top="{drawing.y(p)}px"
          style:max-width="{p.node.switch
            ? Math.max(drawing.barEnd(p) - switchLabel(p), 60)
            : drawing.upright
              ? drawing.level - 18
              : drawing.step}px"
          style:width={!drawing.upright && !p.node.switch ? `${drawing.step}px` : null}
          title="{station.name}: {carries(p.node)}{onhang
            ? '. Drag it onto what its cable comes from'
            : ''}"
          onpointerdown={(event) => begin(station.id, event)}
          onclick={() => onchoose(station.id)}
        >
          {#if p.node.switch}
            <strong>{station.name}</strong>
            <span class="quiet"
              >{plant.type(station.type)?.name ?? station.type}{p.node.sockets
                ? `, ${p.node.sockets} sockets`
                : ''}</span
            >
            {#if state === 'error' || state === 'warning'}<Mark {state} />{/if}
          {:else}
            <span class="dot {state}"
              >{#if state === 'error' || state === 'warning'}<Mark {state} />{/if}</span
            >
            <strong>{station.name}</strong>
            <span class="mono address">{station.address || 'no address'}</span>
            {#if !drawing.upright}<span class="quiet"
                >{p.node.length_m != null
                  ? `${shown(p.node.length_m)} m${p.node.fibre ? ' fibre' : ''}`
                  : station.designation}</span
              >{/if}
          {/if}
        </button>
      {/if}
    {/each}
  </div>
  {#if drawing.width > room}
    <CombOverview
      {plant}
      {drawing}
      {room}
      {left}
      {chosen}
      onleft={(to) => board?.scrollTo({ left: to })}
    />
  {/if}
  {#if !tree.said && drawing.nodes.length}
    <p class="quiet">
      No cable of {plural(drawing.nodes.length, 'station')} has been entered yet: all are assumed to be
      on one plain switch.{onhang ? ' Drag one onto what its cable comes from.' : ''}
    </p>
  {/if}
{/if}

<style>
  .comb {
    position: relative;
    margin: var(--s2) 0 var(--s4);
    user-select: none;
    overflow: auto hidden;
  }
  .node {
    position: absolute;
    display: grid;
    justify-items: center;
    text-align: center;
    padding: 0;
    border: 0;
    font-weight: 400;
    font-size: var(--f-note);
    line-height: 1.3;
    transform: translate(-50%, -8px);
    overflow: visible;
  }
  .node strong,
  .node .quiet,
  .node .address {
    max-width: 100%;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .node .address {
    font-size: var(--f-small);
  }
  .node.controller {
    position: sticky;
    z-index: 1;
    left: 0;
    top: 0;
    padding-top: var(--s7);
    transform: none;
    justify-items: start;
    align-content: start;
    width: 92px;
    background: linear-gradient(to right, var(--paper) 92%, transparent);
  }
  .node.controller .dot {
    margin-left: 74px;
  }
  .node.switch {
    transform: translate(0, -29px);
    display: flex;
    align-items: baseline;
    gap: var(--s3);
    white-space: nowrap;
    padding: 1px var(--s2);
    background: var(--paper);
  }
  /* Of a short bar the type is shortened before the name. */
  .node.switch .quiet {
    flex: 0 100 auto;
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .node:hover,
  .node:active {
    background: none;
  }
  .node:hover strong {
    text-decoration: underline;
  }
  .node.held {
    opacity: 0.5;
  }
  .node.over strong {
    color: var(--heather);
    text-decoration: underline;
  }
  .dot {
    width: var(--dot);
    height: var(--dot);
    margin: calc((16px - var(--dot)) / 2) auto;
    border-radius: 50%;
    border: 2.5px solid var(--ink);
    background: var(--paper);
    display: grid;
    place-items: center;
  }
  .dot.off {
    border-style: dashed;
    border-color: var(--ink-3);
  }
  .dot.filled {
    width: 16px;
    height: 16px;
    margin-block: 0;
    background: var(--ink);
  }
  .dot.error,
  .dot.warning {
    border: 0;
  }
  .dot.good {
    border-color: var(--lichen);
  }
  .node.chosen .dot {
    box-shadow: 0 0 0 3px var(--heather-tint);
    border-color: var(--heather);
  }
  .upright .node:not(.controller, .switch) {
    transform: translate(-8px, -8px);
    grid-template-columns: 16px auto;
    justify-items: start;
    writing-mode: horizontal-tb;
    width: 16px;
  }
  .upright .node:not(.controller, .switch) strong,
  .upright .node:not(.controller, .switch) .address {
    position: absolute;
    top: 19px;
    left: 0;
    writing-mode: vertical-rl;
    max-width: none;
    max-height: 84px;
    font-size: var(--f-small);
    font-weight: 500;
    line-height: 16px;
  }
  .upright .node:not(.controller, .switch) .address {
    display: none;
  }
</style>
