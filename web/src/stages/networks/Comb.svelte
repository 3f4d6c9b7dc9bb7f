<script lang="ts">
  import type { PartResult } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { plural, shown } from '../../kit/numbers';
  import { portLabel } from '../../plant/ports';
  import type { PlantStore } from '../../plant/store.svelte';
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

  type Node = PartResult<'network.tree'>['nodes'][number];
  interface Placed {
    node: Node;
    column: number;
    row: number;
    width: number;
  }

  let width = $state(860);
  const row = $derived(plant.row('networks', network));
  const port = $derived(plant.row('ports', row?.port));
  const tree = $derived(plant.part('network.tree', network));

  const placed = $derived.by(() => {
    const below = new Map<string, Node[]>();
    for (const node of tree?.nodes ?? [])
      below.set(node.upstream, [...(below.get(node.upstream) ?? []), node]);
    const result: Placed[] = [];
    // A switch's children stand below it, beginning at its own column; a device's stand to its right.
    const place = (node: Node, column: number, level: number): number => {
      const own: Placed = { node, column, row: level, width: 1 };
      result.push(own);
      let at = node.switch ? column : column + 1;
      for (const child of below.get(node.station) ?? [])
        at += place(child, at, node.switch ? level + 1 : level);
      own.width = Math.max(1, at - column);
      return own.width;
    };
    let column = 0;
    const top = tree && !tree.said ? 1 : 0;
    for (const node of below.get('') ?? []) column += place(node, column, top);
    return result;
  });
  const columns = $derived(Math.max(1, ...placed.map((p) => p.column + p.width)));
  const rows = $derived(1 + Math.max(0, ...placed.map((p) => p.row)));
  const LEFT = 118;
  const step = $derived(Math.min(150, (width - LEFT - 4) / columns));
  // Labels stand upright under narrow teeth.
  const upright = $derived(step < 74);
  const LEVEL = $derived(upright ? 108 : 64);
  const SPINE = 32;
  const ROW = 50;
  const height = $derived((rows - 1) * ROW + SPINE + LEVEL);
  const at = $derived(new Map(placed.map((p) => [p.node.station, p])));
  const x = (p: Placed) => LEFT + (p.column + 0.5) * step;
  const y = (p: Placed) => SPINE + p.row * ROW;
  const barEnd = (p: Placed) => LEFT + (p.column + p.width) * step - step * 0.18;
  const barStart = (p: Placed) => LEFT + p.column * step + step * 0.18;
  const load = (node: Node) => Math.max(node.in_mbit_s, node.out_mbit_s) / 100;
  const thick = (node: Node) => 1.5 + 7 * Math.sqrt(Math.min(load(node), 1));

  /** From what it hangs on to itself: along the spine, down from a bar, or across from the device before it. */
  function cable(p: Placed): string {
    const upper = at.get(p.node.upstream);
    if (!upper) {
      const down = p.row ? `V${y(p)}` : '';
      return p.node.switch && !p.row
        ? `M${LEFT - 30} ${SPINE}H${barStart(p)}`
        : `M${LEFT - 30} ${SPINE}H${x(p)}${down}`;
    }
    if (upper.node.switch) return `M${x(p)} ${y(upper)}V${y(p)}`;
    return `M${x(upper)} ${y(upper)}H${x(p)}`;
  }

  function carries(node: Node): string {
    const flood = node.flood_packets_s
      ? `, ${shown(node.flood_packets_s, 4)} packets/s of it multicast that nobody there asked for`
      : '';
    return `${shown(node.in_mbit_s, 3)} Mbit/s towards the controller, ${shown(node.out_mbit_s, 3)} Mbit/s away from it${flood}`;
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
    class:upright
    bind:clientWidth={width}
    bind:this={board}
    style:height="{height}px"
    role="listbox"
    aria-label="Stations in route order"
    style:--dot="{Math.max(7, Math.min(16, step - 3))}px"
  >
    <svg {width} {height} aria-hidden="true">
      {#if !tree.said && placed.length}
        <path
          d="M{LEFT - 30} {SPINE}H{x(placed[placed.length - 1]!)}"
          class="cable unsaid"
          stroke-width="1.5"
        />
      {/if}
      {#each placed as p (p.node.station)}
        <path
          d={tree.said ? cable(p) : `M${x(p)} ${SPINE}V${y(p)}`}
          class="cable"
          class:unsaid={!tree.said}
          class:full={load(p.node) > 0.5}
          stroke-width={thick(p.node)}
        />
        {#if p.node.flood_packets_s}
          <path
            d={tree.said ? cable(p) : `M${x(p)} ${SPINE}V${y(p)}`}
            class="flood"
            stroke-width={thick(p.node) + 5}
          />
        {/if}
      {/each}
      {#each placed as p (p.node.station)}
        {#if p.node.switch}
          <rect
            x={barStart(p)}
            y={y(p) - 8}
            width={Math.max(barEnd(p) - barStart(p), 22)}
            height="16"
            class="bar"
            data-hang={p.node.station}
            class:chosen={chosen === p.node.station}
            class:over={over === p.node.station}
            class:snoops={p.node.snoops}
          />
        {/if}
      {/each}
      {#each placed as p (p.node.station)}
        {@const upper = at.get(p.node.upstream)}
        {#if upper?.node.switch && (step >= 15 || p.node.socket % 2 === 0)}
          <text x={x(p)} y={y(upper) + 4} class="socket">{p.node.socket}</text>
        {/if}
      {/each}
    </svg>
    <div class="node controller" class:over={over === ''} data-hang="">
      <span class="dot filled"></span>
      <strong>{port ? portLabel(plant, port) : 'on no port'}</strong>
      <span class="mono address">{port?.address ?? ''}</span>
    </div>
    {#each placed as p (p.node.station)}
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
          aria-label="{station.name}, {station.address || 'no address'}"
          data-hang={station.id}
          style:left="{p.node.switch ? (p.row ? x(p) + 5 : barStart(p)) : x(p)}px"
          style:top="{y(p)}px"
          style:max-width="{p.node.switch
            ? Math.max(width - (p.row ? x(p) + 5 : barStart(p)), 60)
            : upright
              ? LEVEL - 18
              : step}px"
          style:width={!upright && !p.node.switch ? `${step}px` : null}
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
            {#if !upright}<span class="quiet"
                >{p.node.length_m != null
                  ? `${shown(p.node.length_m)} m`
                  : station.designation}</span
              >{/if}
          {/if}
        </button>
      {/if}
    {/each}
  </div>
  {#if !tree.said && placed.length}
    <p class="quiet">
      Nobody has said yet how the cables of {plural(placed.length, 'station')} run: they are taken to
      hang on one plain switch.
    </p>
  {/if}
{/if}

<style>
  .comb {
    position: relative;
    margin: 4px 0 8px;
    user-select: none;
  }
  svg {
    position: absolute;
    inset: 0;
    overflow: visible;
  }
  .cable {
    stroke: var(--ink);
    fill: none;
  }
  .cable.unsaid {
    stroke: var(--ink-3);
    stroke-dasharray: 4 3;
  }
  .cable.full {
    stroke: var(--bracken);
  }
  .flood {
    stroke: var(--gorse);
    stroke-dasharray: 2 4;
    fill: none;
    opacity: 0.75;
  }
  .bar {
    fill: var(--leaf);
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  .bar.snoops {
    fill: var(--tarn-tint);
  }
  .bar.chosen {
    stroke: var(--heather);
    stroke-width: 2.5;
  }
  .bar.over {
    fill: var(--heather-tint);
  }
  .socket {
    font: 10.5px var(--mono);
    fill: var(--ink-2);
    text-anchor: middle;
  }
  .node {
    position: absolute;
    display: grid;
    justify-items: center;
    text-align: center;
    padding: 0;
    border: 0;
    font-weight: 400;
    font-size: 12.5px;
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
    font-size: 11.5px;
  }
  .node.controller {
    left: 0;
    top: 24px;
    transform: none;
    justify-items: start;
    width: 92px;
  }
  .node.controller .dot {
    margin-left: 74px;
  }
  .node.switch {
    transform: translate(0, -29px);
    display: flex;
    align-items: baseline;
    gap: 6px;
    white-space: nowrap;
    padding: 1px 3px;
    background: var(--paper);
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
    font-size: 11px;
    font-weight: 500;
    line-height: 16px;
  }
  .upright .node:not(.controller, .switch) .address {
    display: none;
  }
</style>
