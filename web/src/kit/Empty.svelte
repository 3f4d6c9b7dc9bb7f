<script lang="ts">
  import type { Snippet } from 'svelte';

  /** An empty state that teaches: what belongs here, the first steps, and a button for the first. */
  let { title, children }: { title: string; children: Snippet } = $props();
</script>

<section>
  <h2>{title}</h2>
  {@render children()}
</section>

<style>
  section {
    border: 1px dashed var(--rule-2);
    padding: var(--s6) var(--s7);
    max-width: 620px;
    margin-top: var(--s5);
    display: grid;
    gap: var(--s4);
    justify-items: start;
  }
  h2 {
    font-size: var(--f-head);
  }
</style>
