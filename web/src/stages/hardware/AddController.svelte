<script lang="ts">
  import { focused } from '../../kit/focus';
  import { Problem } from '../../api/client';
  import type { PlantStore } from '../../plant/store.svelte';

  /** A controller: type, firmware, name, address, length of its rail. */
  let {
    plant,
    onmade,
    oncancel,
  }: { plant: PlantStore; onmade: (rail: string) => void; oncancel: () => void } = $props();
  const types = $derived(plant.catalogue.types.filter((type) => type.kind === 'controller'));
  let chosen = $state('');
  let firmware = $state('');
  let name = $state('');
  let address = $state('');
  let places = $state(0);
  let problem = $state<Problem | null>(null);
  const type = $derived(types.find((t) => t.key === chosen) ?? types[0]);

  async function make(event: SubmitEvent) {
    event.preventDefault();
    if (!type) return;
    try {
      const answer = await plant.edit(
        {
          kind: 'add-controller',
          type: type.key,
          name: name || null,
          firmware: firmware || type.revisions.at(-1) || null,
          address: address || null,
          places: places || type.places[0] || null,
          rail_tag: '$rail',
        },
        `Add controller ${name || type.name}`,
      );
      const rail = answer?.tags['$rail'];
      if (rail) onmade(rail);
    } catch (error) {
      problem = error instanceof Problem ? error : null;
    }
  }
</script>

<form onsubmit={make}>
  <label>
    Type
    <select bind:value={chosen} use:focused>
      {#each types as t, n (t.key)}<option value={n ? t.key : ''}>{t.name}, {t.summary}</option
        >{/each}
    </select>
  </label>
  <label>
    Firmware
    <select bind:value={firmware}>
      {#each [...(type?.revisions ?? [])].reverse() as revision, n (revision)}<option
          value={n ? revision : ''}>{revision}</option
        >{/each}
    </select>
  </label>
  <label
    >Name <input
      bind:value={name}
      placeholder="as the program calls it"
      class:bad={problem?.field === 'name'}
    /></label
  >
  <label>
    IP address <input
      bind:value={address}
      class="mono"
      placeholder="10.20.4.10"
      class:bad={problem?.field === 'address'}
    />
  </label>
  <label>
    Rail
    <select bind:value={places}>
      {#each type?.places ?? [] as count, n (count)}<option value={n ? count : 0}
          >{count} places</option
        >{/each}
    </select>
  </label>
  <button class="primary">Add it</button>
  <button type="button" onclick={oncancel}>Leave it</button>
  {#if problem}<p role="alert">{problem.detail}</p>{/if}
</form>

<style>
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 10px 12px;
    align-items: end;
    border: 1px dashed var(--heather);
    padding: 10px 12px;
    margin: 8px 0;
  }
  label {
    display: grid;
    gap: 2px;
    color: var(--ink-2);
    font-size: 12.5px;
  }
  label > * {
    color: var(--ink);
    font-size: 13.5px;
  }
  select {
    max-width: 230px;
  }
  input {
    width: 140px;
  }
  .bad {
    border-color: var(--bracken);
  }
  p {
    flex-basis: 100%;
    color: var(--bracken);
  }
</style>
