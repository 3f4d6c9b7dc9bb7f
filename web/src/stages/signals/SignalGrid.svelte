<script lang="ts">
  import { tick, untrack } from 'svelte';
  import { RowsInView } from '../../kit/rows.svelte';
  import { pathTo } from '../../shell/places';
  import { router } from '../../shell/router.svelte';
  import EditCell from './EditCell.svelte';
  import GroupHead from './GroupHead.svelte';
  import { variableOf } from './grouping';
  import Linker from './Linker.svelte';
  import PathView from './PathView.svelte';
  import SignalLine from './SignalLine.svelte';
  import type { SignalWork } from './signalWork.svelte';

  /** The signals that the filter left, one a line: cells edited in place, the path of one opened below it. */
  let { work, chosen }: { work: SignalWork; chosen: string } = $props();

  const ROW = 28;
  const OPENED = 240;
  let grid = $state<HTMLDivElement>();
  let width = $state(0);
  $effect(() => {
    work.narrow = width > 0 && width < 790;
  });
  const plant = $derived(work.plant);
  const many = $derived(work.controllers.size > 1);
  const tracks = $derived(work.columns.map((column) => column.width).join(' '));
  /** So wide the columns are at least, px: a share counts as its least. */
  const least = $derived(
    work.columns.reduce((sum, c) => sum + Number(/\d+/.exec(c.width)?.[0] ?? 0) + 8, -8),
  );
  /** Where a row is drawn: behind the headings before it. */
  const lineOf = (n: number) => work.drawn.lineOf[n] ?? work.drawn.lines.length;
  const view = new RowsInView(
    () => work.drawn.lines.length + (work.mayAdd ? 1 : 0),
    () => ROW,
    () => (work.openedAt >= 0 ? { row: lineOf(work.openedAt), height: OPENED } : null),
  );
  const lines = $derived(work.drawn.lines.slice(view.first, view.end));
  const heads = $derived(
    lines.flatMap((line, i) =>
      typeof line === 'number' ? [] : [{ line: view.first + i, ...line }],
    ),
  );
  const visible = $derived(
    lines.flatMap((line) => {
      const signal = typeof line === 'number' ? work.signals[line] : undefined;
      return signal && typeof line === 'number' ? [{ n: line, signal }] : [];
    }),
  );

  export function focus() {
    grid?.focus({ preventScroll: true });
  }

  const reveal = () => void tick().then(() => view.reveal(grid, lineOf(work.until ?? work.at)));

  $effect(() => {
    const id = chosen;
    void work.signals;
    untrack(() => work.arrive(id) && reveal());
  });

  $effect(() => {
    if (plant.bench.running) plant.bench.follow(visible.map(({ signal }) => signal.id));
  });

  function choose(n: number, extend = false) {
    work.choose(n, extend);
    reveal();
  }

  async function commit(go = 0) {
    if (!(await work.commit(go))) return;
    if (!work.editing) focus();
  }

  function cancel() {
    work.cancel();
    focus();
  }

  function toggle() {
    const id = work.current?.id ?? '';
    work.opened = work.opened === id ? '' : id;
    reveal();
  }

  const across = (by: number) => (event: KeyboardEvent) => work.go(by, event.shiftKey);
  const edit = () => work.begin(work.onNew ? 'name' : work.column);
  const KEYS: Record<string, (event: KeyboardEvent) => unknown> = {
    ArrowDown: (event) => choose((work.until ?? work.at) + 1, event.shiftKey),
    ArrowUp: (event) => choose((work.until ?? work.at) - 1, event.shiftKey),
    ArrowLeft: across(-1),
    ArrowRight: across(1),
    PageDown: (event) => choose((work.until ?? work.at) + view.page, event.shiftKey),
    PageUp: (event) => choose((work.until ?? work.at) - view.page, event.shiftKey),
    Home: (event) => choose(0, event.shiftKey),
    End: (event) => choose(work.signals.length - 1, event.shiftKey),
    Enter: edit,
    F2: edit,
    ' ': toggle,
    Delete: () => work.remove(),
    Backspace: () => work.remove(),
  };
  const WITH_CONTROL: Record<string, () => unknown> = {
    d: () => work.fillDown(),
    a: () => work.chooseAll(),
    End: () => choose(work.last),
    Home: () => choose(0),
  };

  const WITH_ALT: Record<string, () => unknown> = {
    ArrowUp: () => work.sortBy(work.column),
    ArrowDown: () => work.sortBy(work.column),
    ArrowLeft: () => work.current && work.grouping && work.fold(work.groupOf(work.current), true),
    ArrowRight: () => work.foldAll(false),
  };

  /** What a key does: letters are text, and begin the cell anew. */
  function actOf(event: KeyboardEvent): ((event: KeyboardEvent) => unknown) | undefined {
    if (event.ctrlKey || event.metaKey)
      return WITH_CONTROL[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (event.altKey) return WITH_ALT[event.key];
    const typed = event.key.length === 1 && event.key !== ' ' && work.column !== 'link';
    return KEYS[event.key] ?? (typed ? () => work.begin(work.column, event.key) : undefined);
  }

  function key(event: KeyboardEvent) {
    if (work.editing || (event.target as HTMLElement) !== grid) return;
    const act = actOf(event);
    if (!act) return;
    void act(event);
    event.preventDefault();
    event.stopPropagation();
  }

  function copy(event: ClipboardEvent, cut = false) {
    if (work.editing || document.activeElement !== grid || !event.clipboardData) return;
    const text = work.copied();
    if (!text) return;
    event.clipboardData.setData('text/plain', text);
    event.preventDefault();
    if (cut) void work.remove();
  }

  function clicked(n: number, event: MouseEvent) {
    const at = (event.target as HTMLElement).closest<HTMLElement>('[data-column]')?.dataset.column;
    if (work.editing && n === work.at && (!at || at === work.editing.column)) return;
    if (work.editing) work.cancel();
    choose(n, event.shiftKey);
    if (at && event.shiftKey) work.columnUntil = at;
    else if (at) work.point(at);
    focus();
  }
</script>

<svelte:document oncopy={copy} oncut={(event) => copy(event, true)} />

<div
  class="table"
  role="grid"
  aria-label="Signals"
  aria-rowcount={work.signals.length + 1}
  aria-multiselectable="true"
  style:--tracks={tracks}
  style:--least="{least}px"
  bind:clientWidth={width}
>
  <div class="heads" role="row" tabindex="-1">
    {#each work.columns as column (column.key)}
      {@const sorted = work.sort?.column === column.key ? work.sort : null}
      <!-- svelte-ignore a11y_click_events_have_key_events (Alt and an arrow sort by the cursor's column) -->
      <span
        role="columnheader"
        tabindex="-1"
        class:right={column.right}
        class:sorts={column.path}
        title={column.path ? `Sort by this column: click, or Alt+↑ on a cell of it` : ''}
        aria-sort={sorted ? (sorted.down ? 'descending' : 'ascending') : 'none'}
        onclick={() => work.sortBy(column.key)}
        >{column.head}{#if sorted}&nbsp;{sorted.down ? '↓' : '↑'}{/if}</span
      >
    {/each}
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
    <div style:height="{view.full}px" class="sheet">
      {#each heads as head (head.name)}
        <GroupHead
          name={head.name}
          count={head.count}
          folded={head.folded}
          grouping={work.grouping}
          type={work.types.get(head.name) ?? ''}
          top={view.top(head.line)}
          onfold={() => work.fold(head.name)}
        />
      {/each}
      <!-- By number: what the filter leaves is drawn into the lines that are there. -->
      {#each visible as { n, signal } (n)}
        {@const link = work.links.get(signal.id)}
        {@const top = view.top(lineOf(n))}
        {@const below = top + ROW}
        {@const own = n === work.at}
        <!-- svelte-ignore a11y_click_events_have_key_events (the keys are those of the grid) -->
        <div
          class="line"
          class:chosen={work.isChosen(signal.id)}
          style:top="{top}px"
          role="row"
          tabindex="-1"
          aria-selected={work.isChosen(signal.id)}
          onclick={(event) => clicked(n, event)}
        >
          <SignalLine
            {plant}
            {signal}
            link={link?.link}
            more={link?.more ?? 0}
            owner={many && !work.ownerInHead ? (work.controllers.get(signal.controller) ?? '') : ''}
            within={work.grouping === 'variable' ? variableOf(signal.name) : ''}
            place={work.holder(link?.link.place ?? '')}
            columns={work.columns}
            cursor={own ? work.column : ''}
            inside={work.columnUntil && work.isChosen(signal.id) ? work.chosenColumns : []}
            onLoss={own && work.editing ? work.onLossWords(signal) : []}
            text={(column) => work.text(signal, column)}
            editing={own ? work.editing : null}
            onbegin={(column) => work.begin(column)}
            oncommit={(go) => void commit(go)}
            oncancel={cancel}
          />
        </div>
        {#if signal.id === work.opened}
          {@const path = plant.part('signal.path', signal.id)}
          <div class="opened" style:top="{below}px" role="row">
            {#if path}<div role="gridcell">
                <PathView
                  {plant}
                  signal={signal.id}
                  {path}
                  name={signal.name}
                  unit={signal.unit ?? ''}
                  now={plant.bench.running ? plant.bench.values.get(signal.id) : undefined}
                  onhop={(place) => router.go(pathTo(plant, place))}
                />
              </div>{/if}
          </div>
        {/if}
        {#if own && work.editing?.column === 'link'}
          <Linker {work} {signal} top={below} oncommit={() => void commit()} oncancel={cancel} />
        {/if}
        {#if own && work.problem}<p class="problem" aria-hidden="true" style:top="{below}px">
            {work.problem}
          </p>{/if}
      {/each}
      {#if work.mayAdd && view.end > work.drawn.lines.length}
        {@const n = work.signals.length}
        {@const top = view.top(work.drawn.lines.length)}
        <!-- svelte-ignore a11y_click_events_have_key_events (the keys are those of the grid) -->
        <div
          class="line new"
          class:chosen={work.onNew}
          style:top="{top}px"
          role="row"
          tabindex="-1"
          aria-selected={work.onNew}
          onclick={(event) => clicked(n, event)}
          ondblclick={() => work.begin('name')}
        >
          <EditCell
            column="name"
            editing={work.onNew ? work.editing : null}
            cursor={work.onNew}
            placeholder="name"
            onbegin={() => work.begin('name')}
            oncommit={() => void commit()}
            oncancel={cancel}
            ><span class="quiet"
              >{work.onNew ? 'type a name, or paste rows' : 'a new signal …'}</span
            ></EditCell
          >
        </div>
        {#if work.onNew && work.problem}<p
            class="problem"
            aria-hidden="true"
            style:top="{top - ROW}px"
          >
            {work.problem}
          </p>{/if}
      {/if}
    </div>
  </div>
</div>
<p class="unseen" role="alert">{work.problem}</p>

<style>
  .heads,
  .line {
    display: grid;
    grid-template-columns: var(--tracks);
    gap: 0 var(--s4);
    align-items: center;
  }
  .heads span {
    white-space: nowrap;
  }
  .heads {
    color: var(--ink-2);
    border-bottom: 1px solid var(--rule-2);
    flex: none;
    height: 26px;
    padding-right: var(--s4);
  }
  .table {
    flex: 1 1 300px;
    min-height: 240px;
    display: flex;
    flex-direction: column;
    overflow: auto hidden;
  }
  .heads,
  .grid {
    min-width: max(100%, var(--least));
  }
  .sorts {
    cursor: pointer;
  }
  .new {
    border-bottom-style: dashed;
  }
  .grid {
    flex: 1 1 0;
    min-height: 0;
    overflow-y: auto;
    overflow-x: hidden;
    outline: none;
  }
  .sheet {
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
  .chosen {
    background: var(--heather-tint);
  }
  .right {
    text-align: right;
  }
  .opened {
    position: absolute;
    left: 0;
    right: 0;
  }
  .problem {
    position: absolute;
    left: 0;
    z-index: 5;
    background: var(--leaf);
    border: 1px solid var(--bracken);
    padding: var(--s4);
    color: var(--bracken);
    max-width: 520px;
  }
</style>
