<script lang="ts">
  import type { PlantStore } from '../../plant/store.svelte';

  /** The safe part of a controller written out, once somebody opens it. */
  let { plant, controller }: { plant: PlantStore; controller: string } = $props();

  let open = $state(false);
  const told = $derived(open ? plant.part('controller.safe-text', controller) : undefined);
</script>

<details bind:open>
  <summary>Written out, for documentation</summary>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex (a region that scrolls is reached by the keyboard) -->
  <pre tabindex="0" aria-label="The safe part written out">{told?.text ?? '…'}</pre>
</details>

<style>
  details {
    margin-top: var(--s5);
  }
  summary {
    cursor: pointer;
    font-weight: 600;
  }
  pre {
    font: var(--f-note) / 1.45 var(--mono);
    background: var(--leaf);
    border: 1px solid var(--rule);
    padding: var(--s4);
    overflow: auto;
    max-height: 420px;
    white-space: pre-wrap;
  }
</style>
