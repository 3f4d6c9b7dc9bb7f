<script lang="ts">
  import { untrack } from 'svelte';
  import Empty from '../../kit/Empty.svelte';
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';
  import AddRun from './AddRun.svelte';
  import Columns from './Columns.svelte';
  import Rename from './Rename.svelte';
  import SignalGrid from './SignalGrid.svelte';
  import { GROUPINGS, type Grouping } from './grouping';
  import { SignalWork } from './signalWork.svelte';

  let { plant, chosen }: { plant: PlantStore; chosen: string } = $props();

  const work = untrack(() => new SignalWork(plant));
  let adding = $state(false);
  let renaming = $state(false);
  let grid = $state<SignalGrid>();

  /** From the filter to what it left. */
  function intoRows(event: KeyboardEvent) {
    if ((event.key !== 'Enter' && event.key !== 'ArrowDown') || !work.signals.length) return;
    event.preventDefault();
    work.choose(work.at);
    grid?.focus();
  }

  function paste(event: ClipboardEvent) {
    const text = event.clipboardData?.getData('text/plain') ?? '';
    const target = event.target as HTMLElement;
    if (target.matches('input, textarea, select') || !text.trim() || !plant.mayEdit) return;
    event.preventDefault();
    void work.paste(text);
  }

  const PAGES = [
    ['programs', 'Programs'],
    ['structures', 'Structures'],
    ['list', 'I/O list'],
    ['image', 'Process image'],
  ] as const;
  const FILES = [
    ['xlsx', 'workbook', 'A table for a spreadsheet: every signal with its links and scaling'],
    ['csv', 'CSV', 'The same table as comma-separated text'],
    ['st', 'ST', 'Declarations: global variables with their addresses, as IEC 61131-3 writes them'],
    ['xml', 'XML', 'PLCopen XML: the same with types and tasks, as PLCopen TC6 2.01 writes them'],
  ] as const;
</script>

<svelte:window onpaste={paste} />

<div class="sheet">
  <header class="row">
    <h1>Signals</h1>
    <span class="quiet count">{work.linkedCount} of {work.all.length} linked</span>
    <span class="wide"></span>
    {#each PAGES as [page, word] (page)}<button
        class="plain"
        onclick={() => router.go(`/p/${plant.key}/signals/${page}`)}>{word}</button
      >{/each}
    {#if work.all.length}
      <span class="quiet files" role="group" aria-label="All signals as a file"
        >All as
        {#each FILES as [form, label, what] (form)}
          <a class="plain" href="/api/plants/{plant.key}/signals.{form}" title={what} download
            >{label}</a
          >
        {/each}</span
      >
    {/if}
    {#if plant.mayEdit && work.controllers.size}<button
        class="plain"
        title="The same files, and declarations, read in beside the plant"
        onclick={() => router.go(`/p/${plant.key}/signals/files`)}>Read in …</button
      >{/if}
  </header>
  <div class="row tools">
    <input
      bind:value={work.words}
      placeholder="Filter: bed4 | bed5  kind:analogue  -spray"
      aria-label="Filter the signals"
      onkeydown={intoRows}
    />
    <span class="mono quiet">{work.shownCount}</span>
    {#if work.all.length}
      <select
        value={work.grouping}
        aria-label="Put together"
        onchange={(event) => work.groupBy(event.currentTarget.value as Grouping)}
      >
        {#each GROUPINGS as [key, word] (key)}<option value={key}>{word}</option>{/each}
      </select>
      {#if work.grouping}<button class="plain" onclick={() => work.foldAll(!work.allFolded)}
          >{work.allFolded ? 'Unfold all' : 'Fold all'}</button
        >{/if}
    {/if}
    <span class="wide"></span>
    {#if work.all.length}
      <Columns {work} />
      {#if plant.mayEdit}<button
          class="plain"
          aria-expanded={renaming}
          onclick={() => (renaming = !renaming)}>Rename …</button
        >{/if}
    {/if}
    {#if plant.mayEdit}<button
        class:primary={!work.all.length}
        disabled={!work.controllers.size}
        onclick={() => (adding = !adding)}>Add signals …</button
      >{/if}
  </div>
  {#if renaming && plant.mayEdit}<Rename {work} onclose={() => (renaming = false)} />{/if}
  {#if adding}
    <AddRun
      {plant}
      oncancel={() => (adding = false)}
      onmade={(id) => {
        adding = false;
        work.words = '';
        work.show(id);
      }}
    />
  {/if}

  {#if !work.all.length}
    <Empty title="No signal yet">
      <p>
        A signal is a named, typed variable of the program, linked to a channel of a module or to a
        piece of an exchange. Name one, or a whole run with a counting pattern such as <code
          >Bed&#123;n&#125;Temp</code
        >.
      </p>
      <p>
        An I/O list from design makes them all at once: <a
          href="/p/{plant.key}/signals/list"
          onclick={(event) => {
            event.preventDefault();
            router.go(`/p/${plant.key}/signals/list`);
          }}>read a list</a
        >.
      </p>
      {#if !work.controllers.size}<p>First add a controller in Hardware.</p>{/if}
    </Empty>
  {:else}
    <SignalGrid bind:this={grid} {work} {chosen} />
  {/if}
</div>

<style>
  .sheet {
    display: flex;
    flex-direction: column;
    height: 100%;
  }
  @media (max-width: 800px) {
    .sheet {
      height: 100vh;
    }
  }
  .tools {
    margin: var(--s4) 0 var(--s2);
  }
  .tools input {
    width: 300px;
  }
  .tools select {
    width: 126px;
  }
  .tools :global(button) {
    white-space: nowrap;
  }
  .count,
  .files,
  header :global(button) {
    white-space: nowrap;
  }
  .files {
    font-size: var(--f-note);
    margin-right: var(--s3);
  }
  .files a {
    margin-left: var(--s2);
  }
</style>
