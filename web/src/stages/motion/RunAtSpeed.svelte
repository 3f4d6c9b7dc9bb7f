<script lang="ts">
  import { untrack } from 'svelte';
  import type { PlantStore } from '../../plant/store.svelte';
  import { AxisLive } from './axisLive.svelte';
  import Ready from './Ready.svelte';

  /** The hand on an axis that only turns: at which speed, and on with it. */
  let { plant, axis }: { plant: PlantStore; axis: string } = $props();

  const live = untrack(() => new AxisLive(plant, axis));
  $effect(() => {
    if (plant.bench.running) return untrack(() => live.follow());
  });
  const chain = $derived(plant.part('axis.chain', axis));
  const travel = $derived(plant.part('axis.travel', axis));
  let typed = $state('');
  const speed = $derived(typed.trim() ? Number(typed) : (travel?.speed ?? 0) / 10);
</script>

<section aria-label="Run">
  <div class="row">
    <h2>Run</h2>
    <label
      >at <input
        class="mono"
        class:bad={!Number.isFinite(speed)}
        aria-label="Speed"
        placeholder={String((travel?.speed ?? 0) / 10)}
        bind:value={typed}
      />
      <span class="unit">{chain?.speed_unit ?? ''}</span></label
    >
  </div>
  {#if travel?.speed}
    <Ready
      {plant}
      {live}
      speed={Number.isFinite(speed) ? speed : 0}
      unit={chain?.unit ?? ''}
      speedUnit={chain?.speed_unit ?? ''}
      method={0}
      endless
    />
  {:else}<p class="quiet">It runs as soon as it has a highest speed and an acceleration.</p>{/if}
</section>

<style>
  section {
    margin-top: var(--s5);
  }
  .row {
    align-items: baseline;
    gap: var(--s5);
  }
  input {
    width: 92px;
    text-align: right;
  }
  .bad {
    border-color: var(--bracken);
  }
</style>
