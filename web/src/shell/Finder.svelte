<script lang="ts">
  import type { PlantStore } from '../plant/store.svelte';
  import { find, type Found } from './places';
  import { router } from './router.svelte';

  /** Goes to any object by any part of its name or address. */
  let { plant }: { plant: PlantStore } = $props();
  let words = $state('');
  let at = $state(0);
  let open = $state(false);
  let input: HTMLInputElement;
  const found = $derived(open ? find(plant, words) : []);

  export function focus() {
    input.focus();
    input.select();
  }

  function choose(item: Found | undefined) {
    if (!item) return;
    router.go(item.path);
    plant.select(item.id);
    open = false;
    words = '';
    input.blur();
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'ArrowDown') at = Math.min(at + 1, found.length - 1);
    else if (event.key === 'ArrowUp') at = Math.max(at - 1, 0);
    else if (event.key === 'Enter') choose(found[at]);
    else if (event.key === 'Escape') {
      open = false;
      input.blur();
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div class="finder">
  <input
    bind:this={input}
    bind:value={words}
    type="text"
    role="combobox"
    aria-expanded={open && found.length > 0}
    aria-controls="found"
    aria-label="Go to a name, an address or a reference"
    placeholder="Go to a name, address …"
    autocomplete="off"
    onfocus={() => (open = true)}
    onblur={() => window.setTimeout(() => (open = false), 150)}
    oninput={() => {
      at = 0;
      open = true;
    }}
    onkeydown={key}
  />
  <kbd>/</kbd>
  {#if open && words}
    <ul id="found" role="listbox">
      {#each found as item, n (item.id)}
        <li
          role="option"
          aria-selected={n === at}
          onpointerdown={(event) => {
            // Before the field is left, which closes the list.
            event.preventDefault();
            choose(item);
          }}
        >
          <span class="mono">{item.label}</span> <span class="quiet">{item.what}</span>
        </li>
      {:else}
        <li role="option" aria-selected="false" aria-disabled="true" class="none quiet">
          Nothing has that name or address.
        </li>
      {/each}
    </ul>
  {/if}
</div>

<style>
  .finder {
    position: relative;
    width: 250px;
  }
  input {
    width: 100%;
    padding-right: var(--s7);
  }
  kbd {
    position: absolute;
    right: 6px;
    top: 6px;
  }
  ul {
    position: absolute;
    z-index: 30;
    top: 100%;
    left: 0;
    right: -60px;
    max-height: 420px;
    overflow: auto;
    margin: var(--s1) 0 0;
    padding: var(--s2);
    list-style: none;
    background: var(--leaf);
    border: 1px solid var(--ink);
  }
  li {
    padding: var(--s2) var(--s3);
    cursor: pointer;
  }
  li[aria-selected='true'] {
    background: var(--heather-tint);
  }
  .none {
    cursor: default;
  }
</style>
