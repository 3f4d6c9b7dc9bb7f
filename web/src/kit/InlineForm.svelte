<script lang="ts">
  import type { Snippet } from 'svelte';

  /** A form in the sheet for making something: its fields in a row, one button to make it, one to leave it. */
  let {
    make,
    problem = '',
    onmake,
    onchange,
    oncancel,
    children,
  }: {
    make: string;
    problem?: string;
    onmake: () => Promise<void>;
    onchange?: () => void;
    oncancel: () => void;
    children: Snippet;
  } = $props();
  let busy = $state(false);

  async function submit(event: SubmitEvent) {
    event.preventDefault();
    if (busy) return;
    busy = true;
    try {
      await onmake();
    } finally {
      busy = false;
    }
  }

  function key(event: KeyboardEvent) {
    if (event.key !== 'Escape') return;
    event.stopPropagation();
    oncancel();
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions (Escape leaves the form from any of its fields) -->
<form onsubmit={submit} oninput={onchange} onkeydown={key}>
  {@render children()}
  <button class="primary" disabled={busy}>{make}</button>
  <button type="button" onclick={oncancel}>Cancel</button>
  {#if problem}<p role="alert">{problem}</p>{/if}
</form>

<style>
  form {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s4) var(--s4);
    align-items: end;
    border: 1px dashed var(--heather);
    padding: var(--s4) var(--s5) var(--s4);
    margin: var(--s4) 0;
  }
  form :global(label) {
    display: grid;
    gap: var(--s1);
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  form :global(:is(input, select)) {
    color: var(--ink);
    font-size: var(--f-body);
  }
  form :global(.bad) {
    border-color: var(--bracken);
  }
  p {
    flex-basis: 100%;
    color: var(--bracken);
  }
</style>
