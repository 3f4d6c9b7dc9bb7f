<script lang="ts">
  import Mark from '../../kit/Mark.svelte';
  import type { PlantStore } from '../../plant/store.svelte';

  /** What controllers count of whole networks: one line each; what is short is marked. */
  let { plant }: { plant: PlantStore } = $props();

  const networks = $derived(plant.bench.state?.networks ?? []);
</script>

{#each networks as network (network.id)}
  <p class="facts" aria-label="{plant.row('networks', network.id)?.name} as a whole">
    <strong>{plant.row('networks', network.id)?.name}</strong>
    {#each network.facts as fact (fact.label)}
      <span
        ><span class="quiet">{fact.label}</span>
        {#if fact.good}<span class="mono">{fact.text}</span>{:else}<Mark
            state="error"
            word={fact.text}
          />{/if}</span
      >
    {/each}
  </p>
{/each}

<style>
  .facts {
    display: flex;
    flex-wrap: wrap;
    gap: 0 var(--s5);
    align-items: baseline;
    margin: var(--s3) 0 var(--s1);
    font-size: var(--f-note);
  }
</style>
