<script lang="ts">
  import type { PlantStore } from '../../plant/store.svelte';

  /** What follows from a connection, line by line, as its fieldbus writes it. */
  let { plant, connection }: { plant: PlantStore; connection: string } = $props();
  const facts = $derived(plant.part('connection.facts', connection)?.facts ?? []);
  // What goes to somebody by name is drawn with him.
  const writes = $derived(
    (plant.part('connection.startup', connection)?.writes ?? []).filter((write) => !write.node),
  );
  // As many as are read on two lines; the rest is counted.
  const SHOWN = 48;
  const cut = (octets: string, count: number) =>
    count > SHOWN ? `${octets.slice(0, 3 * SHOWN)}… ${count} octets` : octets;
</script>

{#if facts.length}
  <dl>
    {#each facts as fact (fact.label)}
      <dt>{fact.label}</dt>
      <dd><span class="mono">{fact.value}</span> <span class="quiet">{fact.note}</span></dd>
    {/each}
    {#each writes as write, n (n)}
      <dt>Written at the start</dt>
      <dd>
        <span class="mono">{cut(write.octets, write.count)}</span>
        <span class="quiet">to {write.reference}, {write.when}: {write.reason}</span>
      </dd>
    {/each}
  </dl>
{/if}

<style>
  dl {
    display: grid;
    grid-template-columns: 130px 1fr;
    gap: var(--s1) var(--s4);
    margin: var(--s5) 0 var(--s2);
    font-size: var(--f-note);
  }
  dt {
    color: var(--ink-2);
  }
  dd {
    margin: 0;
    overflow-wrap: anywhere;
  }
</style>
