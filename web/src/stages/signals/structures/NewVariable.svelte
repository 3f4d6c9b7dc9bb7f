<script lang="ts">
  import type { PlantStore } from '../../../plant/store.svelte';
  import { router } from '../../../shell/router.svelte';
  import type { StructureWork } from './structureWork.svelte';

  /** A variable of the chosen structure, or an array of such. */
  let { plant, work }: { plant: PlantStore; work: StructureWork } = $props();

  const controllers = $derived(plant.list('controllers'));
  let owner = $state('');
  let name = $state('');
  let count = $state(1);

  async function add(event: SubmitEvent) {
    event.preventDefault();
    const controller = owner || controllers[0]?.id;
    if (controller && name.trim() && (await work.use(controller, name.trim(), count))) name = '';
  }
</script>

<form class="row" onsubmit={add}>
  {#if controllers.length > 1}
    <label
      >In <select bind:value={owner}>
        {#each controllers as c, n (c.id)}<option value={n ? c.id : ''}>{c.name}</option>{/each}
      </select></label
    >
  {/if}
  <label>Name <input class="mono" bind:value={name} placeholder="Fan1" /></label>
  <label
    >How many <input
      class="mono short"
      type="number"
      min="1"
      max="1000"
      bind:value={count}
    /></label
  >
  <button disabled={!name.trim() || !controllers.length}
    >{count > 1 ? `Add the array` : 'Add the variable'}</button
  >
  <button type="button" class="plain" onclick={() => router.go(`/p/${plant.key}/signals`)}
    >Link them in the grid</button
  >
</form>

<style>
  form {
    align-items: end;
    margin-top: var(--s4);
  }
  button {
    white-space: nowrap;
  }
  .short {
    width: 72px;
  }
</style>
