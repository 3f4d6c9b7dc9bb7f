<script lang="ts">
  import { Problem } from '../api/client';
  import type { PlantStore } from '../plant/store.svelte';

  /** All values of a device that its file names and that have no signal yet, named in one step. */
  let {
    plant,
    of,
    called,
    says,
    verb = 'Name all its values',
  }: { plant: PlantStore; of: string; called: string; says: string; verb?: string } = $props();

  let problem = $state('');

  async function name(structured: boolean) {
    problem = '';
    const label = structured ? `${called} as one variable` : `${verb}: ${called}`;
    try {
      await plant.edit({ kind: 'name-values', of, prefix: '', structured }, label);
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    }
  }

  function key(event: KeyboardEvent) {
    if ((event.target as HTMLElement).matches('input, select, textarea')) return;
    if (event.key !== 'v' || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    void name(true);
  }
</script>

<svelte:window onkeydown={key} />

<p>
  <button onclick={() => void name(false)}>{verb}</button>
  <button
    title="A structure with a member for each value, such as Fan1.Speed"
    onclick={() => void name(true)}>As one variable <kbd>V</kbd></button
  >
  <span class="quiet">{says}</span>
  {#if problem}<span class="bad" role="alert">{problem}</span>{/if}
</p>

<style>
  .bad {
    color: var(--bracken);
  }
</style>
