<script lang="ts">
  import { plural } from '../../../kit/numbers';
  import type { PlantStore } from '../../../plant/store.svelte';

  /** The lists that were taken, each with what was left of it, and out again. */
  let { plant }: { plant: PlantStore } = $props();

  const lists = $derived(
    plant.list('lists').map((list) => {
      const lines = plant.list('list_lines', 'list', list.id);
      return {
        list,
        lines: lines.filter((line) => line.signal).length,
        left: lines.filter((line) => Object.keys(line.left ?? {}).length).length,
      };
    }),
  );
</script>

<p class="quiet">
  Drop the next issue here, or paste it. It is compared with the one taken last and with the plant.
</p>
<table>
  <thead>
    <tr
      ><th>Last issue taken</th><th>Signals</th><th>Left</th><th>Names by</th><th>Out again</th></tr
    >
  </thead>
  <tbody>
    {#each lists as { list, lines, left } (list.id)}
      <tr>
        <td>{list.name}</td>
        <td class="mono">{lines}</td>
        <td>{left ? plural(left, 'line') : 'nothing'}</td>
        <td class="mono">{list.names}</td>
        <td class="row">
          {#each ['xlsx', 'csv'] as form (form)}
            <a class="plain" href="/api/plants/{plant.key}/lists/{list.id}.{form}" download
              >{form === 'xlsx' ? 'workbook' : 'CSV'}</a
            >
          {/each}
          {#if plant.mayEdit}<button
              class="plain"
              title="The signals stay; what this list said is forgotten"
              onclick={() =>
                void plant
                  .edit({ kind: 'remove', ids: [list.id] }, `Forget ${list.name}`)
                  .catch(() => {})}>Forget it</button
            >{/if}
        </td>
      </tr>
    {/each}
  </tbody>
</table>

<style>
  table {
    border-collapse: collapse;
    margin-top: var(--s4);
  }
  th,
  td {
    text-align: left;
    padding: var(--s2) var(--s5) var(--s2) 0;
    border-bottom: 1px solid var(--rule);
  }
</style>
