<script lang="ts">
  import type { PlantStore } from '../../plant/store.svelte';

  /** What follows from a connection, line by line, as its fieldbus writes it. */
  let { plant, connection }: { plant: PlantStore; connection: string } = $props();
  const facts = $derived(plant.part('connection.facts', connection)?.facts ?? []);
</script>

{#if facts.length}
  <dl>
    {#each facts as fact (fact.label)}
      <dt>{fact.label}</dt>
      <dd><span class="mono">{fact.value}</span> <span class="quiet">{fact.note}</span></dd>
    {/each}
  </dl>
{/if}

<style>
  dl {
    display: grid;
    grid-template-columns: 130px 1fr;
    gap: 2px 8px;
    margin: 12px 0 4px;
    font-size: 12.5px;
  }
  dt {
    color: var(--ink-2);
  }
  dd {
    margin: 0;
    overflow-wrap: anywhere;
  }
</style>
