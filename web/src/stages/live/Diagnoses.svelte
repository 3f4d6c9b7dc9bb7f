<script lang="ts">
  import type { Schemas } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import { pathTo } from '../../shell/places';
  import { router } from '../../shell/router.svelte';

  /** What a station's device tells of itself, and which settings all that is wrong there speaks of. */
  let { plant, station }: { plant: PlantStore; station: Schemas['BenchOut']['stations'][number] } =
    $props();

  // What the controller tells of an exchange stands beside the exchange.
  const own = $derived((station.diagnoses ?? []).filter((d) => !plant.row('exchanges', d.place)));
  const likely = $derived(
    new Map(
      (station.diagnoses ?? [])
        .flatMap((d) => d.likely ?? [])
        .map((one) => [`${one.id} ${one.field}`, one]),
    ),
  );
</script>

{#each own as diagnosis (diagnosis.key)}
  <p>
    {#if plant.row('modules', diagnosis.place)}
      <button class="plain" onclick={() => router.go(pathTo(plant, diagnosis.place))}
        >{diagnosis.text}</button
      >
    {:else}
      {diagnosis.text}
    {/if}
    <span class="quiet"
      >since {shown(Math.max(0, plant.bench.time - diagnosis.came_s), 3)}
      <span class="unit">s</span></span
    >
  </p>
{/each}
{#if likely.size}
  <p class="row">
    <span class="quiet">Look at</span>
    {#each [...likely] as [key, one] (key)}
      {@const exchange = plant.row('exchanges', one.id)?.name}
      <button class="plain" onclick={() => router.go(pathTo(plant, one.id))}
        >{one.label}{exchange ? ` of ${exchange}` : ''}</button
      >
    {/each}
  </p>
{/if}

<style>
  p {
    margin: var(--s1) 0;
    font-size: var(--f-note);
  }
  .row {
    flex-wrap: wrap;
    gap: 0 var(--s2);
    align-items: baseline;
  }
  button {
    min-height: 22px;
    height: auto;
    padding: 0 var(--s2);
    text-align: left;
    font-size: var(--f-note);
    text-decoration: underline;
  }
</style>
