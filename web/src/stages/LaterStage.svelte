<script lang="ts">
  import Empty from '../kit/Empty.svelte';
  import type { STAGES } from '../shell/stages';

  /** A stage that is not built yet, shown as what it is. */
  let { stage }: { stage: (typeof STAGES)[number] } = $props();
</script>

<h1>{stage.name}</h1>
<Empty title="This stage is not built yet">
  <p>What will be done here:</p>
  <ul>
    {#each stage.later as line (line)}<li>{line}</li>{/each}
  </ul>
  <p class="quiet">Until then nothing here is checked, and no finding of this stage can appear.</p>
</Empty>

<style>
  ul {
    margin: 0;
    padding-left: var(--s6);
    display: grid;
    gap: var(--s2);
  }
</style>
