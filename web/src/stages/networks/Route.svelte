<script lang="ts">
  import Mark from '../../kit/Mark.svelte';
  import { portLabel } from '../../plant/ports';
  import type { PlantStore } from '../../plant/store.svelte';

  /** The network as a line: the controller's port, then its stations in route order. */
  let {
    plant,
    network,
    chosen,
    onchoose,
  }: { plant: PlantStore; network: string; chosen: string; onchoose: (id: string) => void } =
    $props();

  const row = $derived(plant.row('networks', network));
  const port = $derived(plant.row('ports', row?.port));
  const stations = $derived(plant.list('stations', 'network', network));

  function state(id: string): 'error' | 'warning' | 'idle' | 'good' {
    const live = plant.bench.running
      ? plant.bench.state?.stations.find((s) => s.id === id)
      : undefined;
    if (live?.state === 'bad') return 'error';
    if (live?.state === 'good') return 'good';
    const found = plant.findingsAt([id]).map((f) => f.severity);
    return found.includes('error') ? 'error' : found.includes('warning') ? 'warning' : 'idle';
  }
</script>

<div class="route" role="listbox" aria-label="Stations in route order">
  <div class="node controller">
    <span class="mono address">{port ? port.address : 'no port'}</span>
    <span class="dot filled"></span>
    <strong>{port ? portLabel(plant, port) : 'on no port'}</strong>
    <span class="quiet">controller</span>
  </div>
  {#each stations as station (station.id)}
    <button
      class="node plain"
      role="option"
      aria-selected={chosen === station.id}
      class:chosen={chosen === station.id}
      onclick={() => onchoose(station.id)}
    >
      <span class="mono address">{station.address || 'no address'}</span>
      <span class="dot {state(station.id)}"
        >{#if state(station.id) === 'error' || state(station.id) === 'warning'}<Mark
            state={state(station.id)}
          />{/if}</span
      >
      <strong>{station.name}</strong>
      <span class="quiet"
        >{station.designation || (plant.type(station.type)?.name ?? station.type)}</span
      >
    </button>
  {/each}
</div>

<style>
  .route {
    display: flex;
    overflow-x: auto;
    padding: 6px 0 4px;
  }
  .node {
    position: relative;
    display: grid;
    justify-items: center;
    min-width: 128px;
    flex: 0 1 190px;
    gap: 3px;
    border: 0;
    border-radius: 0;
    padding: 2px 6px 6px;
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
  .chosen .dot {
    border-color: var(--heather);
    outline: 2px solid var(--heather);
    outline-offset: 2px;
  }
  .address {
    font-weight: 600;
  }
  strong,
  .quiet {
    max-width: 180px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .quiet {
    font-size: 12px;
    font-weight: 400;
  }
</style>
