<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { PlantStore } from '../../plant/store.svelte';

  /** What is tried on the bench, marked as that; while the bench does not run, or knows nothing of it, how to go on. */
  let {
    plant,
    known,
    what,
    state,
    children,
  }: {
    plant: PlantStore;
    known: boolean;
    what: string;
    state?: Snippet;
    children: Snippet;
  } = $props();
</script>

<section aria-label="On the bench">
  <div class="row head">
    <h2>On the bench</h2>
    {@render state?.()}
    <span class="wide"></span>
    <span class="quiet">A rehearsal: what is tried here proves nothing on site.</span>
  </div>
  {#if !plant.bench.running}
    <p class="quiet">
      The bench does not run.
      {#if plant.mayEdit}<button onclick={() => void plant.bench.download()}
          >Download and run</button
        >{/if}
    </p>
  {:else if !known}
    <p class="quiet">What runs on the bench does not know {what}: download it.</p>
  {:else}{@render children()}{/if}
</section>

<style>
  section {
    margin-top: var(--s5);
    border-left: 3px solid var(--tarn);
    padding-left: var(--s5);
  }
  .head {
    align-items: baseline;
    flex-wrap: wrap;
  }
</style>
