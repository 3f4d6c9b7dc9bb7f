<script lang="ts">
  import { got, http, Problem } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import type { PlantStore } from '../../plant/store.svelte';

  /** What can be done to a device over its network, at the address or by the label it is reached with. */
  let { plant, network, at }: { plant: PlantStore; network: string; at: string } = $props();

  const acts = $derived(
    (
      plant.catalogue.fieldbuses.find((b) => b.key === plant.row('networks', network)?.kind)
        ?.acts ?? []
    ).filter((one) => !one.all),
  );
  const asked = $derived([...new Set(acts.map((one) => one.asks).filter(Boolean))]);
  const deed = $derived(
    plant.bench.state?.deeds?.filter((d) => d.network === network && d.at === at).at(-1),
  );
  let typed = $state<Record<string, string>>({});
  let problem = $state('');

  async function run(act: string, value: string) {
    problem = '';
    const params = { path: { key: plant.key, network } };
    const body = { at, act, value };
    try {
      got(await http.POST('/api/plants/{key}/networks/{network}/act', { params, body }));
      typed = {};
      await plant.bench.refresh();
    } catch (error) {
      problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }
</script>

{#if acts.length && plant.mayEdit}
  <div class="acts" role="group" aria-label="Over the network">
    {#each asked as what (what)}
      <span class="row">
        <input bind:value={typed[what]} placeholder={what} aria-label="Its new {what}" />
        {#each acts.filter((one) => one.asks === what) as one (one.key)}
          <button
            class="small"
            title="To undo it: {one.back}"
            disabled={!typed[what]?.trim()}
            onclick={() => run(one.key, typed[what] ?? '')}>{one.label}</button
          >
        {/each}
      </span>
    {/each}
    {#each acts.filter((one) => !one.asks) as one (one.key)}
      <button
        class="small"
        title={one.back ? `To undo it: ${one.back}` : ''}
        onclick={() => run(one.key, '')}>{one.label}</button
      >
    {/each}
  </div>
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {#if deed}<p class="quiet">
      <Mark state={deed.good === null ? 'pending' : deed.good ? 'good' : 'error'} />
      {deed.text}
    </p>{/if}
{/if}

<style>
  .acts {
    display: flex;
    align-items: center;
    flex-wrap: wrap;
    gap: var(--s2) var(--s4);
    margin: var(--s2) 0;
  }
  input {
    width: 120px;
    height: 24px;
  }
  .row {
    flex-wrap: wrap;
    gap: var(--s2) var(--s3);
  }
  .small {
    white-space: nowrap;
    height: 24px;
    padding: 0 var(--s3);
    font-size: var(--f-note);
  }
</style>
