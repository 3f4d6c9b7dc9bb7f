<script lang="ts">
  import type { Snippet } from 'svelte';
  import { focused } from '../../kit/focus';
  import type { Editing } from './columns';

  /** A cell that becomes an input: Enter and Tab commit, Escape drops, leaving commits. */
  let {
    column,
    editing,
    right = false,
    cursor = false,
    inside = false,
    choices = null,
    placeholder = '',
    onbegin,
    oncommit,
    oncancel,
    children,
  }: {
    column: string;
    editing: Editing | null;
    right?: boolean;
    /** Whether the cursor stands in it, and whether it is among the cells chosen. */
    cursor?: boolean;
    inside?: boolean;
    choices?: string[] | null;
    placeholder?: string;
    onbegin: (column: string) => void;
    oncommit: (go: number) => void;
    oncancel: () => void;
    children: Snippet;
  } = $props();

  function key(event: KeyboardEvent) {
    if (event.key === 'Enter') oncommit(0);
    else if (event.key === 'Tab') oncommit(event.shiftKey ? -1 : 1);
    else if (event.key === 'Escape') oncancel();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  const open = $derived(editing?.column === column);
</script>

<span
  role="gridcell"
  tabindex="-1"
  data-column={column}
  class:right
  class:cursor
  class:inside
  aria-selected={inside}
  ondblclick={() => onbegin(column)}
>
  {#if editing && open && choices}
    <select use:focused bind:value={editing.text} onkeydown={key} onchange={() => oncommit(0)}>
      {#each choices as choice (choice)}<option>{choice}</option>{/each}
    </select>
  {:else if editing && open && column !== 'link'}
    <input
      class="mono"
      use:focused
      {placeholder}
      bind:value={editing.text}
      onkeydown={key}
      onblur={() => open && oncommit(0)}
    />
  {:else}{@render children()}{/if}
</span>

<style>
  .right {
    text-align: right;
  }
  .inside {
    background: color-mix(in srgb, var(--heather) 16%, transparent);
  }
  .cursor {
    outline: 1px solid var(--heather);
    outline-offset: -1px;
  }
  span {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    min-width: 0;
    line-height: 27px;
  }
  input,
  select {
    width: 100%;
    height: 24px;
    padding: 1px var(--s2);
  }
</style>
