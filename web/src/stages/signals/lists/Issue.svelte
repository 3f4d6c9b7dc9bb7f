<script lang="ts">
  import { plural } from '../../../kit/numbers';
  import type { PlantStore } from '../../../plant/store.svelte';
  import type { ListWork } from './listWork.svelte';

  /** What the issue is taken for: whose it is, where its signals go, what its columns hold, and what is not taken. */
  let { plant, work }: { plant: PlantStore; work: ListWork } = $props();

  const sheet = $derived(work.sheet!);
  const known = $derived(sheet.columns.map((column) => column.key));
  const unknown = $derived(work.headings.filter((h) => h.text && !known.includes(h.key)));
  const label = (key: string) => sheet.columns.find((column) => column.key === key)?.label ?? '';
  let columns = $state(false);
  const open = $derived(columns || !work.headings.some((heading) => heading.key === 'tag'));
  let notes = $state(false);
  const refused = $derived(work.compared?.refused ?? []);
  const told = $derived(sheet.notes.length + refused.length);
  /** What a column says in its first lines, so that one knows it without the file. */
  const example = (n: number) =>
    sheet.rows
      .slice(0, 20)
      .map((row) => row.cells[n])
      .find(Boolean) ?? '';

  function set(change: () => void) {
    change();
    void work.compare();
  }
</script>

<div class="row how">
  <label
    >New issue of <select
      value={work.of ?? ''}
      onchange={(event) => set(() => work.belong(event.currentTarget.value || null))}
    >
      <option value="">no list so far</option>
      {#each plant.list('lists') as list (list.id)}<option value={list.id}>{list.name}</option
        >{/each}
    </select></label
  >
  <label
    >New signals in <select
      value={work.controller}
      onchange={(event) => set(() => (work.controller = event.currentTarget.value))}
    >
      {#if !work.controller}<option value="">no controller yet</option>{/if}
      {#each plant.list('controllers') as controller (controller.id)}<option value={controller.id}
          >{controller.name}</option
        >{/each}
    </select></label
  >
  <label
    >named <input
      class="mono"
      size="9"
      value={work.names}
      title="A pattern of columns in braces: {'{tag}'}, {'{text}'}, {'{location}'}_{'{tag}'}"
      onchange={(event) => set(() => (work.names = event.currentTarget.value))}
    /></label
  >
  <span class="wide"></span>
  {#if told}<button class="plain told" aria-expanded={notes} onclick={() => (notes = !notes)}
      >{refused.length
        ? `${plural(
            refused.reduce((sum, one) => sum + one.rows.length, 0),
            'line',
          )} not taken`
        : plural(told, 'note')}</button
    >{/if}
  <button class="plain" aria-expanded={open} onclick={() => (columns = !columns)}
    >{work.headings.filter((h) => known.includes(h.key)).length} of {work.headings.filter(
      (h) => h.text,
    ).length} columns known</button
  >
</div>
{#if notes && told}
  <ul class="notes">
    {#each refused as one (one.rows.join())}
      <li>
        <span class="quiet">{one.rows.length > 1 ? 'rows' : 'row'} {one.rows.join(', ')}</span>
        <strong class="mono">{one.tag}</strong>
        {one.reason}
      </li>
    {/each}
    {#each sheet.notes as note, n (n)}
      <li>
        <span class="quiet">{note.row ? `row ${note.row}` : ''}</span>
        {note.text}
      </li>
    {/each}
  </ul>
{/if}
{#if open}
  <div class="columns">
    {#each work.headings as heading, n (n)}
      {#if heading.text || example(n)}
        <label>
          <span class="heading" title={heading.text}>{heading.text || '(no heading)'}</span>
          <span class="mono quiet example" title={example(n)}>{example(n) || '–'}</span>
          <select
            value={known.includes(heading.key) ? heading.key : ''}
            onchange={(event) => set(() => work.map(n, event.currentTarget.value))}
          >
            <option value="">kept only</option>
            {#each known as key (key)}<option value={key}>{label(key)}</option>{/each}
          </select>
        </label>
      {/if}
    {/each}
  </div>
{:else if unknown.length}
  <p class="quiet kept">
    Kept as they come: {unknown.map((heading) => heading.text).join(', ')}
  </p>
{/if}

<style>
  .how {
    margin-top: var(--s3);
    flex-wrap: wrap;
  }
  .how select {
    max-width: 190px;
  }
  .told {
    color: var(--gorse);
  }
  .notes {
    margin: var(--s3) 0 0;
    padding: var(--s3) var(--s4);
    list-style: none;
    border: 1px solid var(--rule);
    max-height: 130px;
    overflow: auto;
    font-size: var(--f-note);
    flex: none;
  }
  .columns {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3) var(--s4);
    margin-top: var(--s3);
    padding: var(--s3) var(--s4);
    border: 1px solid var(--rule);
    flex: none;
  }
  .columns label {
    display: grid;
    width: 112px;
  }
  .heading {
    font-weight: 600;
  }
  .heading,
  .example {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-size: var(--f-small);
  }
  .kept {
    margin: var(--s2) 0 0;
    font-size: var(--f-note);
  }
</style>
