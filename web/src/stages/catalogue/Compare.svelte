<script lang="ts">
  import { got, http, type Schemas } from '../../api/client';
  import type { PlantStore } from '../../plant/store.svelte';

  /** Up to three marked types side by side: only the lines in which they differ. */
  let { plant, types, onclear }: { plant: PlantStore; types: string[]; onclear: () => void } =
    $props();
  let rows = $state.raw<Schemas['DifferenceOut'][]>([]);

  $effect(() => {
    const body = { types };
    http
      .POST('/api/plants/{key}/compare', { params: { path: { key: plant.key } }, body })
      .then((answer) => (rows = got(answer)))
      .catch(() => {});
  });
</script>

<header class="row">
  <h2>{types.length} types, where they differ</h2>
  <span class="wide"></span>
  <button class="plain" onclick={onclear}>Unmark all</button>
</header>
<table>
  <thead
    ><tr
      ><th><span class="unseen">Fact</span></th>{#each types as type (type)}<th
          >{plant.type(type)?.name ?? type}</th
        >{/each}</tr
    ></thead
  >
  <tbody>
    {#each rows as row (row.label)}
      <tr
        ><td class="quiet">{row.label}</td>{#each row.values as value, n (n)}<td
            class:nothing={!value}>{value || 'not there'}</td
          >{/each}</tr
      >
    {:else}
      <tr><td class="quiet" colspan={types.length + 1}>They are the same in every line.</td></tr>
    {/each}
  </tbody>
</table>

<style>
  td {
    height: 24px;
    vertical-align: top;
  }
  .nothing {
    color: var(--ink-3);
  }
</style>
