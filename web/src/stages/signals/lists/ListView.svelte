<script lang="ts">
  import { untrack } from 'svelte';
  import Empty from '../../../kit/Empty.svelte';
  import { plural } from '../../../kit/numbers';
  import type { PlantStore } from '../../../plant/store.svelte';
  import { router } from '../../../shell/router.svelte';
  import Differences from './Differences.svelte';
  import Issue from './Issue.svelte';
  import Lists from './Lists.svelte';
  import { workOf } from './listWork.svelte';

  /** The list that comes again and again: the last issue, the new one and the plant side by side. */
  let { plant }: { plant: PlantStore } = $props();

  const work = untrack(() => workOf(plant));
  let dropping = $state(false);
  let input = $state<HTMLInputElement>();

  // What others do meanwhile is seen as well.
  $effect(() => {
    void plant.configured;
    untrack(() => void work.compare());
  });

  function dropped(event: DragEvent) {
    event.preventDefault();
    dropping = false;
    const file = event.dataTransfer?.files[0];
    if (file) void work.read(file);
  }

  function paste(event: ClipboardEvent) {
    const text = event.clipboardData?.getData('text/plain') ?? '';
    if ((event.target as HTMLElement).matches('input, textarea, select') || !text.includes('\t'))
      return;
    event.preventDefault();
    void work.read(new File([text], 'Pasted list', { type: 'text/plain' }));
  }

  const undisputed = $derived(work.undisputed.length);
</script>

<svelte:window onpaste={paste} />

<!-- svelte-ignore a11y_no_static_element_interactions (files are dropped anywhere; the button does the same) -->
<div
  class="sheet"
  class:dropping
  ondragover={(event) => {
    event.preventDefault();
    dropping = true;
  }}
  ondragleave={(event) => (dropping = event.relatedTarget !== null)}
  ondrop={dropped}
>
  <header class="row">
    <button class="plain" onclick={() => router.go(`/p/${plant.key}/signals`)}>◂ Signals</button>
    <h1>I/O list</h1>
    <span class="quiet" aria-live="polite">
      {#if work.busy}{work.busy}
      {:else if work.sheet}{work.sheet.name} · {work.sheet.title} · {plural(
          work.sheet.rows.length,
          'line',
        )}{/if}
    </span>
    <span class="wide"></span>
    <input
      bind:this={input}
      class="unseen"
      type="file"
      accept=".xlsx,.csv,.txt,.tsv"
      tabindex="-1"
      aria-label="An I/O list as a file"
      onchange={() => {
        const file = input?.files?.[0];
        if (file) void work.read(file);
        if (input) input.value = '';
      }}
    />
    {#if plant.mayEdit}
      <button class:primary={!work.sheet} disabled={!!work.busy} onclick={() => input?.click()}
        >Read a list …</button
      >
      {#if work.sheet}<button class="plain" onclick={() => work.putAway()}>Put away</button>
        <button
          class="primary"
          disabled={!!work.busy || !(work.taken + work.left)}
          onclick={() => void work.take()}
          >Take {work.taken}{work.left ? `, leave ${work.left}` : ''}</button
        >{/if}
    {/if}
  </header>
  {#if work.problem}<p class="bad" role="alert">{work.problem}</p>{/if}

  {#if !work.sheet}
    {#if !plant.list('lists').length}
      <Empty title="No list was read yet">
        <p>
          Drop the I/O list from design here, XLSX or CSV, or paste the table. Its columns are known
          by their headings, in any order. What it changes is shown line by line before anything is
          taken.
        </p>
        <p class="quiet">
          When the next issue comes, only what changed since is asked about, and what you left is
          remembered.
        </p>
      </Empty>
    {:else}
      <Lists {plant} />
    {/if}
  {:else}
    <Issue {plant} {work} />
    {#if work.compared}
      <div class="row tools">
        <input
          bind:value={work.words}
          placeholder="Filter: LT  column:range  kind:new"
          aria-label="Filter the differences"
        />
        <span class="mono quiet">{work.shown.length}</span>
        <span class="wide"></span>
        <span class="quiet">{work.open} open</span>
        {#if work.compared.kept || work.again}<label class="row"
            ><input
              type="checkbox"
              bind:checked={work.again}
              onchange={() => void work.compare()}
            />
            ask again what was left</label
          >{/if}
        {#if plant.mayEdit}
          <button
            disabled={!undisputed}
            title="All shown that are open, but for those changed on both sides and perhaps renamed"
            onclick={() => work.decide('take', work.undisputed, false)}
            >Take {undisputed} undisputed</button
          >
          <button
            disabled={!work.open}
            onclick={() =>
              work.decide(
                'leave',
                work.shown.filter((one) => !work.decided.has(one.id) && one.kind !== 'renamed'),
                false,
              )}>Leave the rest</button
          >
        {/if}
      </div>
      {#if work.compared.differences.length}
        <Differences {plant} {work} />
      {:else}
        <p class="quiet">
          Nothing differs: {plural(work.compared.lines, 'line')} as in the plant{work.compared.kept
            ? `, but for ${plural(work.compared.kept, 'thing')} left or changed here`
            : ''}.
        </p>
      {/if}
    {/if}
  {/if}
</div>

<style>
  .sheet {
    display: flex;
    flex-direction: column;
    height: 100%;
  }
  .dropping {
    outline: 2px dashed var(--heather);
    outline-offset: 4px;
  }
  .tools {
    margin: var(--s4) 0 var(--s2);
  }
  .tools input:not([type='checkbox']) {
    width: 220px;
  }
  .bad {
    color: var(--bracken);
    margin: var(--s2) 0;
  }
  p {
    max-width: 560px;
  }
</style>
