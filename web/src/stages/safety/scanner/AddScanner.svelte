<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../../kit/focus';
  import InlineForm from '../../../kit/InlineForm.svelte';
  import { Making } from '../../../kit/making.svelte';
  import type { PlantStore, Row } from '../../../plant/store.svelte';

  let {
    plant,
    controllers,
    onmade,
    oncancel,
  }: {
    plant: PlantStore;
    controllers: Row<'controllers'>[];
    onmade: (id: string) => void;
    oncancel: () => void;
  } = $props();

  let controller = $state(untrack(() => controllers[0]?.id ?? ''));
  let type = $state(untrack(() => Object.keys(plant.catalogue.scanner_types)[0] ?? 'own'));
  let station = $state('');
  let name = $state('');
  const making = untrack(
    () =>
      new Making(plant, () => ({
        kind: 'add-scanner',
        controller,
        scanner: type,
        name: name || null,
        station: station || null,
        tag: '$made',
      })),
  );
  async function make() {
    const made = (await making.make('Add a scanner'))?.tags['$made'];
    if (made) onmade(made);
  }
</script>

<InlineForm
  make="Add it"
  problem={making.problem?.detail}
  onmake={make}
  onchange={() => making.changed('Add a scanner')}
  oncancel={() => making.leave(oncancel)}
>
  <label
    >Type
    <select bind:value={type} use:focused>
      {#each Object.entries(plant.catalogue.scanner_types) as [key, label] (key)}<option value={key}
          >{label}</option
        >{/each}
    </select></label
  >
  {#if controllers.length > 1}
    <label
      >Of
      <select bind:value={controller}>
        {#each controllers as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
      </select></label
    >
  {/if}
  <label
    >Speaks as
    <select bind:value={station}>
      <option value="">nothing on a network</option>
      {#each plant.list('stations').filter((one) => !one.partner) as one (one.id)}<option
          value={one.id}>{one.name}</option
        >{/each}
    </select></label
  >
  <label>Name<input bind:value={name} placeholder="as its station" /></label>
</InlineForm>
