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
    padding: 18px 22px;
    max-width: 620px;
    margin-top: 14px;
    display: grid;
    gap: 8px;
    justify-items: start;
  }
  h2 {
    font-size: 15px;
  }
</style>
