<script lang="ts">
  import { untrack } from 'svelte';
  import Empty from '../../../kit/Empty.svelte';
  import { plural } from '../../../kit/numbers';
  import type { PlantStore } from '../../../plant/store.svelte';
  import { router } from '../../../shell/router.svelte';
  import { FileWork } from './fileWork.svelte';
  import Taken from './Taken.svelte';

  /** A table of signals or declarations from a file, laid beside the plant before anything of it is taken over. */
  let { plant }: { plant: PlantStore } = $props();

  const work = untrack(() => new FileWork(plant));
  const controllers = $derived(plant.list('controllers'));
  let dropping = $state(false);
  let input = $state<HTMLInputElement>();

  function dropped(event: DragEvent) {
    event.preventDefault();
    dropping = false;
    const file = event.dataTransfer?.files[0];
    if (file) void work.read(file);
  }
</script>

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
    <h1>Read signals in</h1>
    <span class="quiet" aria-live="polite">
      {#if work.busy}{work.busy}
      {:else if work.told}{work.told.name} · {work.told.title}
      {:else}{work.done}{/if}
    </span>
    <span class="wide"></span>
    <input
      bind:this={input}
      type="file"
      hidden
      accept=".csv,.xlsx,.st,.txt,.tsv"
      aria-label="File of signals"
      onchange={() => {
        const file = input?.files?.[0];
        if (file) void work.read(file);
        if (input) input.value = '';
      }}
    />
    {#if plant.mayEdit}<button
        class:primary={!work.told}
        disabled={!!work.busy}
        onclick={() => input?.click()}>{work.told ? 'Another file …' : 'Choose a file …'}</button
      >{/if}
    {#if work.told && plant.mayEdit}<button
        class="primary"
        disabled={!work.taken.length || !!work.busy}
        onclick={() => void work.take()}>Take {plural(work.taken.length, 'signal')}</button
      >{/if}
  </header>
  {#if controllers.length > 1}
    <label class="in"
      >What names no controller is of
      <select bind:value={work.controller} onchange={() => work.file && void work.read(work.file)}>
        {#each controllers as c, n (c.id)}<option value={n ? c.id : ''}>{c.name}</option>{/each}
      </select></label
    >
  {/if}
  {#if work.problem}<p class="bad" role="alert">{work.problem}</p>{/if}

  {#if work.told}
    <p class="quiet">
      {plural(work.told.same, 'signal')} as in the plant{work.told.absent
        ? `; ${plural(work.told.absent, 'signal')} of the plant not in it, which stay`
        : ''}{work.told.unknown.length
        ? `; not looked at: ${work.told.unknown.slice(0, 6).join(', ')}${work.told.unknown.length > 6 ? ' …' : ''}`
        : ''}.
      {#if work.told.structures.length}It declares {work.told.structures
          .map((one) => one.name)
          .join(', ')}.{/if}
      {#each work.told.notes.slice(0, 3) as note (note)}<span class="note">{note}</span>{/each}
    </p>
    {#if work.told.refused.length}
      <details open={work.told.refused.length < 6}>
        <summary>{plural(work.told.refused.length, 'line')} cannot be taken</summary>
        <ul>
          {#each work.told.refused.slice(0, 100) as one (one.rows[0])}
            <li>
              <span class="mono quiet"
                >{work.told.title === 'declarations' ? 'line' : 'row'} {one.rows[0]}</span
              >
              {one.why}
            </li>
          {/each}
        </ul>
      </details>
    {/if}
    {#if work.told.signals.length}<Taken {work} />
    {:else}<p>Nothing differs from the plant.</p>{/if}
  {:else if !work.busy}
    <Empty title="Drop a file of signals here">
      <p>
        The workbook or CSV that went out of here, edited or not; or declarations of a program:
        <code>VAR_GLOBAL … END_VAR</code> with their structures and addresses. What differs from the plant
        is shown before anything is taken over.
      </p>
      <p class="quiet">
        A list from design with tags, strips and terminals is read under <a
          href="/p/{plant.key}/signals/list"
          onclick={(event) => {
            event.preventDefault();
            router.go(`/p/${plant.key}/signals/list`);
          }}>I/O list</a
        >.
      </p>
    </Empty>
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
  h1 {
    white-space: nowrap;
  }
  .in {
    margin-top: var(--s3);
    display: flex;
    flex-direction: row;
    align-items: center;
    gap: var(--s2);
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  .bad {
    color: var(--bracken);
    margin: var(--s2) 0;
  }
  .note {
    margin-right: var(--s2);
  }
  p {
    margin: var(--s3) 0;
  }
  ul {
    margin: var(--s2) 0;
    padding: 0;
    list-style: none;
    max-height: 160px;
    overflow-y: auto;
  }
</style>
