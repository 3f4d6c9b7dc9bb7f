<script lang="ts">
  import { got, http, type Schemas } from '../../api/client';
  import { saveCsv } from '../../kit/csv';
  import Empty from '../../kit/Empty.svelte';
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';

  /** What is fitted, what lies in stock, what has to be bought: one line a type. */
  let { plant }: { plant: PlantStore } = $props();
  let lines = $state.raw<Schemas['QuantityOut'][] | null>(null);

  $effect(() => {
    void plant.revision;
    http
      .GET('/api/plants/{key}/quantities', { params: { path: { key: plant.key } } })
      .then((answer) => (lines = got(answer)))
      .catch(() => {});
  });

  async function spare(type: string, text: string) {
    const count = Math.floor(Number(text));
    if (!Number.isFinite(count) || count < 0) return;
    await plant.edit({ kind: 'set-spare', type, count }, 'Spares').catch(() => {});
  }

  /** The list as a file for the spreadsheet. */
  function save() {
    saveCsv('quantities.csv', [
      ['Maker', 'Order number', 'Name', 'Fitted', 'Spares', 'Total'],
      ...(lines ?? []).map((l) => [l.maker, l.order_number, l.name, l.fitted, l.spares, l.total]),
    ]);
  }
</script>

<header class="row">
  <h1>Quantities</h1>
  <span class="quiet">what is fitted on all rails and networks, and what lies in stock</span>
  <span class="wide"></span>
  <button onclick={save} disabled={!lines?.length}>Save as CSV</button>
  <button onclick={() => router.go(`/p/${plant.key}/hardware`)}>Back to the rails</button>
</header>
{#if lines && !lines.length}
  <Empty title="Nothing is fitted yet">
    <p>As soon as a controller, a module or a station is placed, it is counted here.</p>
  </Empty>
{:else if lines}
  <table>
    <thead
      ><tr
        ><th>Maker</th><th>Order number</th><th>Name</th><th class="number">Fitted</th><th
          class="number">Spares</th
        ><th class="number">In all</th></tr
      ></thead
    >
    <tbody>
      {#each lines as line (line.type)}
        <tr>
          <td>{line.maker}</td>
          <td class="mono">{line.order_number || '–'}</td>
          <td
            >{line.name}{#if !line.known}<span class="missing"> type missing</span>{/if}</td
          >
          <td class="number">{line.fitted}</td>
          <td class="number"
            ><input
              class="mono"
              value={line.spares}
              disabled={!plant.mayEdit || !line.known}
              aria-label="Spares of {line.name}"
              onchange={(event) => void spare(line.type, event.currentTarget.value)}
            /></td
          >
          <td class="number">{line.total}</td>
        </tr>
      {/each}
    </tbody>
  </table>
{/if}

<style>
  header {
    margin-bottom: var(--s4);
    align-items: baseline;
  }
  input {
    width: 64px;
    text-align: right;
  }
  .missing {
    color: var(--bracken);
  }
  th:nth-child(n + 4) {
    width: 90px;
  }
</style>
