<script lang="ts">
  import { tick } from 'svelte';
  import { inked } from '../../../kit/inked';
  import { RowsInView } from '../../../kit/rows.svelte';
  import type { PlantStore } from '../../../plant/store.svelte';
  import { router } from '../../../shell/router.svelte';
  import type { Difference, ListWork } from './listWork.svelte';

  /** One line a difference: what the plant says, what the list does, and what is decided. */
  let { plant, work }: { plant: PlantStore; work: ListWork } = $props();

  const ROW = 28;
  const view = new RowsInView(
    () => work.shown.length,
    () => ROW,
  );
  let grid = $state<HTMLElement>();
  const visible = $derived(work.shown.slice(view.first, view.end));
  const ids = $derived(new Set(work.chosen.map((one) => one.id)));

  const current = $derived(work.shown[work.at]);

  const WORDS: Record<Difference['kind'], string> = {
    new: 'new line',
    changed: 'changed',
    gone: 'gone',
    renamed: 'renamed?',
  };
  const kind = (one: Difference) =>
    one.kind === 'changed' && one.both
      ? 'both changed'
      : one.kind === 'new' && one.both
        ? 'not here'
        : WORDS[one.kind];
  const HEADS = ['', 'Kind', 'Tag', 'What', 'Plant → list', 'Row'];

  function reveal() {
    void tick().then(() => view.reveal(grid, work.until ?? work.at));
  }

  function choose(n: number, extend: boolean) {
    work.choose(n, extend);
    reveal();
  }

  function toSignal() {
    const id = work.shown[work.at]?.signal;
    if (id) router.go(`/p/${plant.key}/signals/${id}`);
  }

  const by = (n: number) => (event: KeyboardEvent) =>
    choose((work.until ?? work.at) + n, event.shiftKey);
  const KEYS: Record<string, (event: KeyboardEvent) => void> = {
    ArrowDown: by(1),
    ArrowUp: by(-1),
    PageDown: (event) => choose(work.at + view.page, event.shiftKey),
    PageUp: (event) => choose(work.at - view.page, event.shiftKey),
    Home: (event) => choose(0, event.shiftKey),
    End: (event) => choose(work.shown.length - 1, event.shiftKey),
    Enter: () => work.decide('take'),
    Backspace: () => work.decide('leave'),
    ' ': () => work.decide(null),
    g: toSignal,
  };

  function key(event: KeyboardEvent) {
    if (event.altKey) return;
    const all = (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'a';
    const act = all ? selectAll : event.ctrlKey || event.metaKey ? undefined : KEYS[event.key];
    if (!act) return;
    act(event);
    reveal();
    event.preventDefault();
    event.stopPropagation();
  }

  function selectAll() {
    work.choose(0);
    work.choose(work.shown.length - 1, true);
  }

  function clicked(n: number, extend: boolean) {
    choose(n, extend);
    grid?.focus({ preventScroll: true });
  }
</script>

{#snippet mark(one: Difference)}
  {@const decision = work.decided.get(one.id)}
  <svg viewBox="0 0 14 14" width="14" height="14" role="img" aria-label={decision ?? 'open'}>
    {#if decision === 'take'}<path
        d="M2 7.5 5.5 11 12 3"
        fill="none"
        stroke="var(--lichen)"
        stroke-width="2.4"
      />
    {:else if decision === 'leave'}<path d="M3 7h8" stroke="var(--ink-2)" stroke-width="2.4" />
    {:else}<circle
        cx="7"
        cy="7"
        r="4.5"
        fill="none"
        stroke="var(--rule-2)"
        stroke-width="1.4"
      />{/if}
  </svg>
{/snippet}

<div
  class="table"
  role="grid"
  aria-label="Differences"
  aria-multiselectable="true"
  aria-rowcount={work.shown.length + 1}
>
  <div class="heads" role="row" tabindex="-1">
    {#each HEADS as head, n (n)}<span role="columnheader" tabindex="-1" class:right={head === 'Row'}
        >{#if head}{head}{:else}<span class="unseen">Decided</span>{/if}</span
      >{/each}
  </div>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions (one stop for all rows: arrows choose among them) -->
  <div
    class="grid"
    bind:this={grid}
    bind:clientHeight={view.height}
    onscroll={() => (view.scrolled = grid?.scrollTop ?? 0)}
    onkeydown={key}
    role="rowgroup"
    tabindex="0"
    aria-label="Rows"
  >
    <div style:height="{view.full}px" class="rows">
      {#each visible as one, i (one.id)}
        {@const n = view.first + i}
        {@const parts = inked(one.old, one.new)}
        <!-- svelte-ignore a11y_click_events_have_key_events (the keys are those of the grid) -->
        <div
          class="line"
          class:chosen={ids.has(one.id)}
          style:top="{view.top(n)}px"
          role="row"
          tabindex="-1"
          aria-selected={ids.has(one.id)}
          onclick={(event) => clicked(n, event.shiftKey)}
          ondblclick={() => work.decide('take')}
        >
          <span role="gridcell" tabindex="-1">{@render mark(one)}</span>
          <span role="gridcell" tabindex="-1" class="kind" class:both={one.both}>{kind(one)}</span>
          <span role="gridcell" tabindex="-1" class="mono" title="{one.tag}: {one.name}"
            >{one.within ? '↳ ' : ''}{one.tag}</span
          >
          <span role="gridcell" tabindex="-1">{one.kind === 'changed' ? one.label : ''}</span>
          <span role="gridcell" tabindex="-1" class="values">
            {#if one.kind === 'new'}
              <span class="name mono">{one.name}</span>
              <span class="quiet">{one.new}</span>
            {:else if one.kind === 'gone'}
              <span class="name mono">{one.name}</span>
              <s class="quiet">{one.old}</s>
            {:else}
              <span class="old" class:none={!one.old}>{one.old || 'nothing'}</span>
              <span class="quiet" aria-label="becomes">→</span>
              {#if one.new}<span class="new">{parts[0]}<b>{parts[1]}</b>{parts[2]}</span
                >{:else}<span class="none">nothing</span>{/if}
            {/if}
          </span>
          <span role="gridcell" tabindex="-1" class="mono quiet right">{one.row || ''}</span>
        </div>
      {/each}
    </div>
  </div>
</div>
{#if current}
  <dl class="sides" aria-label="The chosen difference in full">
    {#if current.last != null}<div>
        <dt>Last issue</dt>
        <dd>{current.last || 'nothing'}</dd>
      </div>{/if}
    <div>
      <dt>Plant, {current.name}</dt>
      <dd>{current.old || (current.kind === 'new' ? 'not there yet' : 'nothing')}</dd>
    </div>
    <div>
      <dt>New issue{current.row ? `, row ${current.row}` : ''}</dt>
      <dd>{current.new || (current.kind === 'gone' ? 'not there any more' : 'nothing')}</dd>
    </div>
  </dl>
{/if}
<p class="quiet keys">
  <kbd>Enter</kbd> takes, <kbd>Backspace</kbd> leaves, <kbd>Space</kbd> opens again,
  <kbd>Shift</kbd>+arrows and <kbd>Ctrl</kbd>+<kbd>A</kbd> for several, <kbd>G</kbd> goes to the signal
</p>

<style>
  .table {
    flex: 1 1 240px;
    min-height: 200px;
    display: flex;
    flex-direction: column;
    overflow: auto hidden;
  }
  .heads,
  .line {
    display: grid;
    grid-template-columns: 20px 96px minmax(110px, 150px) 72px minmax(200px, 1fr) 40px;
    gap: 0 var(--s4);
    align-items: center;
    padding-left: var(--s3);
  }
  .heads {
    color: var(--ink-2);
    border-bottom: 1px solid var(--rule-2);
    height: 26px;
    flex: none;
    padding-right: var(--s4);
  }
  .heads,
  .grid {
    min-width: 620px;
  }
  .grid {
    flex: 1 1 0;
    min-height: 0;
    overflow: hidden auto;
    outline: none;
  }
  .grid:focus-visible {
    box-shadow: inset 2px 0 var(--heather);
  }
  .rows {
    position: relative;
  }
  .line {
    position: absolute;
    left: 0;
    right: 0;
    height: 28px;
    border-bottom: 1px solid var(--rule);
    cursor: default;
  }
  .line > span {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    min-width: 0;
  }
  .chosen {
    background: var(--heather-tint);
  }
  .kind {
    color: var(--ink-2);
  }
  .both {
    color: var(--gorse);
    font-weight: 600;
  }
  .line > .values {
    display: flex;
    gap: var(--s3);
  }
  .values > span,
  .values > s {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .name {
    flex: none;
  }
  .old {
    color: var(--ink-2);
  }
  .new b {
    color: var(--heather);
    font-weight: 700;
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .none {
    color: var(--ink-3);
    font-style: italic;
  }
  .values > .quiet {
    flex: none;
    max-width: 100%;
  }
  .sides {
    display: grid;
    grid-auto-flow: column;
    grid-auto-columns: 1fr;
    gap: var(--s5);
    margin: var(--s3) 0 0;
    padding: var(--s3) var(--s4);
    border: 1px solid var(--rule);
    flex: none;
    max-height: 84px;
    overflow: auto;
  }
  dt {
    color: var(--ink-2);
    font-size: var(--f-small);
  }
  dd {
    margin: 0;
    overflow-wrap: anywhere;
  }
  .right {
    text-align: right;
  }
  .keys {
    margin: var(--s3) 0 0;
    font-size: var(--f-note);
    flex: none;
  }
</style>
