<script lang="ts">
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';

  /** What was wrong at stations and is no more, the last first. */
  let { plant }: { plant: PlantStore } = $props();

  const SHOWN = 20;
  const gone = $derived(plant.bench.state?.gone ?? []);
  const where = (place: string, station: string) =>
    [plant.row('stations', station)?.name ?? '?', plant.row('exchanges', place)?.name]
      .filter(Boolean)
      .join(', ');
</script>

{#if gone.length}
  <details>
    <summary>Was wrong and is good again <span class="mono quiet">{gone.length}</span></summary>
    <ol>
      {#each gone.slice(0, SHOWN) as one (`${one.station} ${one.key} ${one.came_s}`)}
        <li>
          <span class="mono"
            >{shown(one.came_s, 5)}–{shown(one.went_s ?? 0, 5)} <span class="unit">s</span></span
          >
          <strong>{where(one.place, one.station)}</strong>
          <span class="quiet">{one.text}</span>
        </li>
      {/each}
    </ol>
    {#if gone.length > SHOWN}<p class="quiet">{gone.length - SHOWN} before these</p>{/if}
  </details>
{/if}

<style>
  details {
    margin: var(--s2) 0 var(--s4);
    font-size: var(--f-note);
  }
  ol {
    list-style: none;
    margin: var(--s2) 0;
    padding: 0;
    max-height: 180px;
    overflow-y: auto;
  }
  li {
    display: grid;
    grid-template-columns: 120px 220px 1fr;
    gap: var(--s4);
    border-bottom: 1px solid var(--rule);
    padding: 1px 0;
  }
  summary {
    cursor: pointer;
    color: var(--ink-2);
  }
</style>
