<script lang="ts">
  import type { PlantStore } from '../plant/store.svelte';
  import { live } from './numbers';

  /** A signal's value from the bench; one that is not the present looks so. */
  let { plant, signal, unit = '' }: { plant: PlantStore; signal: string; unit?: string } = $props();
  const now = $derived(plant.bench.running ? plant.bench.values.get(signal) : undefined);
</script>

{#if now}<span class="value" class:old={plant.bench.frozen || now.quality === 'old'}
    >{live(now.value)}</span
  >{/if}
{#if unit}<span class="unit">{unit}</span>{/if}

<style>
  .value {
    font-family: var(--mono);
    font-size: var(--f-note);
    color: var(--tarn);
    font-weight: 600;
  }
  .old {
    color: var(--ink-3);
    font-style: italic;
    font-weight: 500;
  }
</style>
