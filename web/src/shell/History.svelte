<script lang="ts">
  import { got, http, type Schemas } from '../api/client';
  import type { PlantStore } from '../plant/store.svelte';

  let { plant, onclose }: { plant: PlantStore; onclose: () => void } = $props();
  type Entry = Schemas['EntryOut'];
  let entries = $state.raw<Entry[]>([]);
  let more = $state(true);
  let marking = $state<number | null>(null);
  let mark = $state('');

  $effect(() => {
    void plant.revision;
    void load(null);
  });

  async function load(before: number | null) {
    const query = before === null ? {} : { before };
    const found = got(
      await http.GET('/api/plants/{key}/history', { params: { path: { key: plant.key }, query } }),
    );
    entries = before === null ? found : [...entries, ...found];
    more = found.length === 50;
  }

  async function setMark(revision: number) {
    const path = { params: { path: { key: plant.key, revision } } };
    await http.POST('/api/plants/{key}/revisions/{revision}/mark', { ...path, body: { mark } });
    marking = null;
    await load(null);
  }

  const WORDS: Record<string, string> = { undo: 'Undo: ', redo: 'Redo: ', edit: '', begin: '' };
</script>

<header class="row">
  <h1>History</h1>
  <span class="quiet">who did what when; looking at a revision changes nothing</span>
  <span class="wide"></span>
  <button onclick={onclose}>Close <kbd>Esc</kbd></button>
</header>
<table>
  <thead
    ><tr
      ><th class="number">Revision</th><th>What</th><th>Objects</th><th>By</th><th>When</th><th
        ><span class="unseen">What to do</span></th
      ></tr
    ></thead
  >
  <tbody>
    {#each entries as entry (entry.revision)}
      <tr class:chosen={plant.looking === entry.revision}>
        <td class="number">{entry.revision}</td>
        <td>
          {WORDS[entry.kind] ?? ''}{entry.label}
          {#if entry.document === 'built'}<span class="quiet">as built</span>{/if}
          {#if entry.mark}<span class="mark">{entry.mark}</span>{/if}
        </td>
        <td>{entry.change.length || ''}</td>
        <td>{entry.author}</td>
        <td class="mono">{new Date(entry.time).toLocaleString()}</td>
        <td class="acts">
          {#if marking === entry.revision}
            <input
              bind:value={mark}
              placeholder="Name of this revision"
              onkeydown={(e) => {
                e.stopPropagation();
                if (e.key === 'Enter') void setMark(entry.revision);
                if (e.key === 'Escape') marking = null;
              }}
            />
          {:else}
            <button
              class="plain"
              onclick={() => {
                marking = entry.revision;
                mark = entry.mark;
              }}>Mark</button
            >
            <button
              class="plain"
              onclick={() => {
                void plant.look(entry.revision);
                onclose();
              }}>Look at it</button
            >
          {/if}
        </td>
      </tr>
    {/each}
  </tbody>
</table>
{#if more}<button class="plain" onclick={() => void load(entries.at(-1)?.revision ?? null)}
    >Earlier ones</button
  >{/if}

<style>
  .acts {
    text-align: right;
    white-space: nowrap;
  }
  .mark {
    background: var(--tarn-tint);
    padding: 0 var(--s3);
    margin-left: var(--s3);
  }
  th.number,
  td.number {
    width: 70px;
    padding-right: var(--s6);
  }
</style>
