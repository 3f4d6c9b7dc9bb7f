<script lang="ts">
  import NameAll from '../../kit/NameAll.svelte';
  import type { PlantStore } from '../../plant/store.svelte';
  import { headName } from '../../plant/rails';
  import Ladder from './Ladder.svelte';
  import Objects from './Objects.svelte';
  import ProcessData from './ProcessData.svelte';

  /** A device on its own: what it exchanges, what is written into it on its way up, and the objects in it. */
  let { plant, network, row }: { plant: PlantStore; network: string; row: string } = $props();

  const head = $derived(plant.row('stations', row) ?? plant.row('modules', row));
  const told = $derived(
    plant.row('stations', row)
      ? plant.part('ethercat.objects', row)
      : plant.part('ethercat.module-objects', row),
  );
  const data = $derived(
    plant.row('stations', row)
      ? plant.part('ethercat.process-data', row)
      : plant.part('ethercat.module-data', row),
  );

  let chosen = $state('');
  $effect(() => {
    void row;
    chosen = '';
  });
</script>

{#if data?.ways.length}
  {#key row}<ProcessData {plant} ways={data.ways} />{/key}
  {#if plant.mayEdit && plant.row('modules', row) && !plant.list('links', 'place', row).length}
    <NameAll
      {plant}
      of={row}
      called={head ? headName(plant, head) : 'it'}
      says="none of them has a signal yet"
    />
  {/if}
{/if}
{#if head && told?.service_data}
  <section class="device" aria-label="In {headName(plant, head)}">
    <Ladder {plant} {row} onchoose={(key) => (chosen = key)} />
    {#key row}
      <Objects {plant} {network} {row} areas={told.areas} bind:chosen />
    {/key}
  </section>
{/if}

<style>
  .device {
    display: grid;
    grid-template-columns: 236px minmax(0, 1fr);
    gap: var(--s6);
    margin: var(--s5) 0;
    border-top: 1px solid var(--rule);
    padding-top: var(--s4);
  }
</style>
