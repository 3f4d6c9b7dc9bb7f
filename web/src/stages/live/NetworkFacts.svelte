<script lang="ts">
  import Mark from '../../kit/Mark.svelte';
  import ObjectForm from '../../kit/ObjectForm.svelte';
  import type { PlantStore } from '../../plant/store.svelte';

  /** Whole networks: what their controllers count, what is short marked, and what can be wrong with the medium. */
  let { plant }: { plant: PlantStore } = $props();

  const told = $derived(new Map(plant.bench.state?.networks.map((n) => [n.id, n.facts]) ?? []));
  const networks = $derived(
    plant
      .list('networks')
      .map((network) => ({
        network,
        facts: told.get(network.id) ?? [],
        damaged: !!plant.catalogue.fieldbuses.find((b) => b.key === network.kind)?.damaged,
      }))
      .filter((one) => one.facts.length || one.damaged),
  );
  const noise = (id: string) =>
    plant.list('built_lines').find((line) => line.network === id)?.settings?.noise ?? 0;
  let opened = $state('');
</script>

{#each networks as { network, facts, damaged } (network.id)}
  <section class="facts" aria-label="{network.name} as a whole">
    <strong>{network.name}</strong>
    {#each facts as fact (fact.label)}
      <span
        ><span class="quiet">{fact.label}</span>
        {#if fact.good}<span class="mono">{fact.text}</span>{:else}<Mark
            state="error"
            word={fact.text}
          />{/if}</span
      >
    {/each}
    {#if noise(network.id)}<Mark state="warning" word="frames damaged, as built" />{/if}
    {#if damaged && plant.mayEdit}<button
        class="plain"
        aria-label="Faults of the medium of {network.name}"
        aria-expanded={opened === network.id}
        onclick={() => (opened = opened === network.id ? '' : network.id)}>Faults …</button
      >{/if}
    {#if opened === network.id}
      <div class="form"><ObjectForm {plant} id={network.id} built /></div>
    {/if}
  </section>
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
  button {
    height: 20px;
    padding: 0;
    border: 0;
    font-size: var(--f-note);
    font-weight: 400;
  }
  .form {
    flex-basis: 100%;
    max-width: 320px;
  }
</style>
