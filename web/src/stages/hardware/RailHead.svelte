<script lang="ts">
  import { shown } from '../../kit/numbers';
  import { portFacts } from '../../plant/ports';
  import type { Head } from '../../plant/rails';
  import type { PlantStore } from '../../plant/store.svelte';

  /** The head of a rail: a controller with its ports and tasks, a remote station with its address, a module. */
  let {
    plant,
    head,
    name,
    width,
    chosen,
    onchoose,
  }: {
    plant: PlantStore;
    head: Head;
    name: string;
    width: number;
    chosen: boolean;
    onchoose: () => void;
  } = $props();

  const controller = $derived(plant.row('controllers', head.id));
  const station = $derived(plant.row('stations', head.id));
  const ports = $derived(controller ? plant.list('ports', 'device', controller.id) : []);
  const tasks = $derived(controller ? plant.list('tasks', 'controller', controller.id) : []);
</script>

<button
  class="head"
  class:chosen
  style:width="{width}px"
  role="option"
  aria-selected={chosen}
  onclick={onchoose}
>
  <span class="mono quiet">0</span>
  <strong>{name}</strong>
  {#each ports as port (port.id)}
    <span class="port"
      ><span class="quiet">{port.key}</span>
      <span class="mono"
        >{portFacts(plant, port)?.has_ip === false
          ? portFacts(plant, port)?.carries
          : port.address || (port.method === 'static' ? 'none' : port.method)}</span
      ></span
    >
  {/each}
  {#if station}<span class="port"
      ><span class="quiet">address</span>
      <span class="mono">{station.address || 'none'}</span></span
    >{/if}
  {#each tasks as task (task.id)}
    <span class="port"
      ><span class="quiet">{task.name}</span>
      <span class="mono">{shown(task.period_ms)} <span class="unit">ms</span></span></span
    >
  {/each}
</button>

<style>
  .head {
    position: absolute;
    inset: 0 auto 0 0;
    background: var(--leaf);
    border: 1px solid var(--ink);
    padding: var(--s2) var(--s2);
    display: flex;
    flex-direction: column;
    align-items: stretch;
    text-align: left;
    font-weight: 400;
    gap: var(--s2);
  }
  .head.chosen {
    border: 2px solid var(--heather);
    padding: var(--s2) var(--s2);
  }
  .port {
    font-size: var(--f-small);
    display: grid;
    line-height: 1.25;
  }
  .port .mono {
    font-size: var(--f-small);
  }
</style>
