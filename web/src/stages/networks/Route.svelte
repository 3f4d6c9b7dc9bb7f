<script lang="ts">
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import { portLabel } from '../../plant/ports';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import { condition } from './condition';

  /** The network as a line: the controller's port, then its stations in route order. */
  let {
    plant,
    network,
    chosen,
    onchoose,
    onplace,
  }: {
    plant: PlantStore;
    network: string;
    chosen: string;
    onchoose: (id: string) => void;
    onplace?: (id: string, before: string | null) => void;
  } = $props();

  let line = $state<HTMLDivElement>();
  let drag = $state.raw<{ id: string; from: number; moved: boolean; before: number } | null>(null);

  function begin(id: string, event: PointerEvent) {
    if (onplace && event.button === 0) drag = { id, from: event.clientX, moved: false, before: -1 };
  }

  /** The gap the pointer is nearest to, as the number of the station behind it. */
  function over(event: PointerEvent) {
    if (!drag || !line) return;
    const moved = drag.moved || Math.abs(event.clientX - drag.from) > 6;
    const nodes = [...line.querySelectorAll('[role=option]')];
    const at = nodes.findIndex((n) => {
      const box = n.getBoundingClientRect();
      return event.clientX < box.left + box.width / 2;
    });
    drag = { ...drag, moved, before: moved ? (at < 0 ? nodes.length : at) : -1 };
  }

  function drop() {
    const held = drag;
    drag = null;
    if (!held?.moved) return;
    const before = stations[held.before];
    const own = stations.findIndex((s) => s.id === held.id);
    if (held.before !== own && held.before !== own + 1) onplace?.(held.id, before?.id ?? null);
  }

  const row = $derived(plant.row('networks', network));
  const port = $derived(plant.row('ports', row?.port));
  const stations = $derived(plant.list('stations', 'network', network));
  const laid = $derived(plant.part('network.route', network));
  const node = (station: string) => laid?.nodes.find((n) => n.station === station);
  const everybody = (station: Row<'stations'>) => laid != null && station.address === '0';
</script>

<svelte:window onpointermove={drag ? over : undefined} onpointerup={drag ? drop : undefined} />

<div class="route" bind:this={line} role="listbox" aria-label="Stations in route order">
  <div class="node controller">
    <span class="mono address">{port ? port.address || '\u00a0' : 'no port'}</span>
    <span class="dot filled"></span>
    <strong>{port ? portLabel(plant, port) : 'on no port'}</strong>
    <span class="quiet">controller</span>
    {@render ends('')}
  </div>
  {#each stations as station, n (station.id)}
    {@const state = condition(plant, station.id)}
    <button
      class="node plain"
      role="option"
      aria-selected={chosen === station.id}
      class:chosen={chosen === station.id}
      class:everybody={everybody(station)}
      class:gap={drag?.before === n}
      class:last={drag?.before === n + 1 && n + 1 === stations.length}
      class:held={drag?.moved && drag.id === station.id}
      title={onplace ? 'Alt+← and Alt+→ move it along, so does dragging' : ''}
      onpointerdown={(event) => begin(station.id, event)}
      onclick={() => onchoose(station.id)}
    >
      <span class="mono address">{station.address || 'no address'}</span>
      <span class="dot {state}"
        >{#if state === 'error' || state === 'warning'}<Mark {state} />{/if}</span
      >
      <strong>{station.name}</strong>
      <span class="quiet"
        >{station.designation || (plant.type(station.type)?.name ?? station.type)}</span
      >
      {#if node(station.id)?.length_m}<span class="leg mono"
          >{shown(node(station.id)?.length_m)} m</span
        >{/if}
      {#if node(station.id)?.tap_m}<span class="quiet"
          >tap <span class="mono">{shown(node(station.id)?.tap_m)}</span> m</span
        >{/if}
      {@render ends(station.id)}
    </button>
  {/each}
</div>

{#if laid}
  <p class="quiet laid">
    <span
      >cable <span class="mono">{shown(laid.length_m)}</span> m of
      <span class="mono">{shown(laid.length_at_most_m, 3)}</span> ·
      <span class="mono">{shown(laid.loads)}</span> of
      <span class="mono">{shown(laid.loads_at_most)}</span> unit loads</span
    >
    <span class="key"
      ><svg width="10" height="14" aria-hidden="true"
        ><path d="M5 0v2M2 2h6v8H2zM5 10v3M2 13h6" class="resistor" /></svg
      > terminating resistor</span
    >
    <span class="key"
      ><svg width="12" height="14" aria-hidden="true"
        ><path d="M6 0v4M1 4h10M1 9h10M6 9v4" class="resistor" /></svg
      > bias</span
    >
  </p>
{/if}

{#snippet ends(station: string)}
  {@const at = node(station)}
  {#if at?.terminated || at?.biased}
    <span class="ends">
      {#if at.terminated}<svg width="10" height="14" aria-hidden="true"
          ><path d="M5 0v2M2 2h6v8H2zM5 10v3M2 13h6" class="resistor" /></svg
        ><span class="unseen">terminating resistor in</span>{/if}
      {#if at.biased}<svg width="12" height="14" aria-hidden="true"
          ><path d="M6 0v4M1 4h10M1 9h10M6 9v4" class="resistor" /></svg
        ><span class="unseen">holds the idle level</span>{/if}
    </span>
  {/if}
{/snippet}

<style>
  .laid {
    display: flex;
    gap: var(--s2);
    align-items: center;
    font-size: var(--f-note);
    flex-wrap: wrap;
  }
  .key {
    display: inline-flex;
    gap: var(--s2);
    align-items: center;
    margin-left: var(--s4);
  }
  .resistor {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.4;
  }
  .ends {
    display: flex;
    gap: var(--s2);
    height: 14px;
  }
  .leg {
    position: absolute;
    top: 14px;
    left: 0;
    transform: translateX(-50%);
    font-size: var(--f-small);
    color: var(--ink-2);
    background: var(--paper);
    padding: 0 var(--s1);
  }
  .gap {
    box-shadow: inset 3px 0 var(--heather);
  }
  .last {
    box-shadow: inset -3px 0 var(--heather);
  }
  .held {
    opacity: 0.5;
  }
  .everybody::before {
    display: none;
  }
  .route {
    display: flex;
    overflow-x: auto;
    padding: var(--s3) 0 var(--s2);
  }
  .node {
    position: relative;
    display: grid;
    justify-items: center;
    align-content: start;
    min-width: 128px;
    flex: 0 1 190px;
    gap: var(--s2);
    border: 0;
    border-radius: 0;
    padding: var(--s1) var(--s3) var(--s3);
  }
  .node::before {
    content: '';
    position: absolute;
    top: 31px;
    left: 0;
    right: 0;
    height: 4px;
    background: var(--ink);
  }
  .node:first-child::before {
    left: 50%;
  }
  .node:last-child::before {
    right: 50%;
  }
  .dot {
    position: relative;
    width: 20px;
    height: 20px;
    border-radius: 50%;
    background: var(--leaf);
    border: 3px solid var(--ink);
    display: grid;
    place-items: center;
    margin: 1px 0;
  }
  .filled {
    background: var(--ink);
  }
  .good {
    background: var(--lichen-tint);
  }
  .dot.off {
    border-style: dashed;
    border-color: var(--ink-3);
  }
  .chosen .dot {
    border-color: var(--heather);
    outline: 2px solid var(--heather);
    outline-offset: 2px;
  }
  .address {
    font-weight: 600;
  }
  .node strong,
  .node .quiet {
    max-width: 100%;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .node .quiet {
    font-size: var(--f-note);
    font-weight: 400;
  }
</style>
