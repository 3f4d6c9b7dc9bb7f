<script lang="ts">
  import { got, http, Problem } from '../../api/client';
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
        acts:
          plant.catalogue.fieldbuses
            .find((b) => b.key === network.kind)
            ?.acts.filter((a) => a.all) ?? [],
      }))
      .filter((one) => one.facts.length || one.damaged),
  );
  const noise = (id: string) =>
    plant.list('built_lines').find((line) => line.network === id)?.settings?.noise ?? 0;
  let opened = $state('');
  let problem = $state('');

  async function act(network: string, key: string) {
    problem = '';
    const params = { path: { key: plant.key, network } };
    try {
      got(
        await http.POST('/api/plants/{key}/networks/{network}/act', {
          params,
          body: { at: '', act: key, value: '' },
        }),
      );
      await plant.bench.refresh();
    } catch (error) {
      problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }
</script>

{#each networks as { network, facts, damaged, acts } (network.id)}
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
    {#if plant.mayEdit && facts.length}
      {#each acts as one (one.key)}<button
          class="plain"
          title="Taken back by: {one.back}"
          onclick={() => act(network.id, one.key)}>{one.label}</button
        >{/each}
    {/if}
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

{#if problem}<p class="problem" role="alert">{problem}</p>{/if}

<style>
  .problem {
    color: var(--bracken);
    font-size: var(--f-note);
  }
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
