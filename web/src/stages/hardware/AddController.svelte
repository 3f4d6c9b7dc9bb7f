<script lang="ts">
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
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

  async function make() {
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

<InlineForm make="Add it" problem={problem?.detail} onmake={make} {oncancel}>
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
</InlineForm>

<style>
  select {
    max-width: 230px;
  }
  input {
    width: 140px;
  }
</style>
