<script lang="ts">
  import { COLUMNS } from './columns';
  import type { SignalWork } from './signalWork.svelte';

  /** Which columns are shown; this browser keeps them. */
  let { work }: { work: SignalWork } = $props();

  let open = $state(false);
  let box = $state<HTMLElement>();

  function toggle(key: string, on: boolean) {
    const keys = work.shownColumns.filter((one) => one !== key);
    work.setColumns(on ? [...keys, key] : keys);
  }
</script>

<svelte:document
  onpointerdown={(event) => {
    if (open && !box?.contains(event.target as Node)) open = false;
  }}
/>

<span class="columns" bind:this={box}>
  <button class="plain" aria-expanded={open} onclick={() => (open = !open)}>Columns</button>
  {#if open}
    <!-- svelte-ignore a11y_no_static_element_interactions (Escape closes what the button opened) -->
    <div
      class="choice"
      onkeydown={(event) => {
        if (event.key !== 'Escape') return;
        open = false;
        event.stopPropagation();
        box?.querySelector('button')?.focus();
      }}
    >
      {#each COLUMNS as column (column.key)}
        <label
          ><input
            type="checkbox"
            checked={work.shownColumns.includes(column.key)}
            disabled={column.key === 'name'}
            onchange={(event) => toggle(column.key, event.currentTarget.checked)}
          />
          {column.head}</label
        >
      {/each}
    </div>
  {/if}
</span>

<style>
  .columns {
    position: relative;
  }
  .choice {
    position: absolute;
    right: 0;
    top: 100%;
    z-index: 6;
    display: grid;
    grid-template-columns: auto auto;
    gap: var(--s2) var(--s5);
    padding: var(--s4) var(--s5);
    background: var(--leaf);
    border: 1px solid var(--rule-2);
    white-space: nowrap;
  }
  .choice label {
    display: flex;
    flex-direction: row;
    align-items: center;
    gap: var(--s3);
  }
</style>
