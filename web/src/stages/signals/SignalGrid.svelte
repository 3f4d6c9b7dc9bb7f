<script lang="ts">
  import { tick, untrack } from 'svelte';
  import PlacePicker from '../../kit/PlacePicker.svelte';
  import { RowsInView } from '../../kit/rows.svelte';
  import { pathTo } from '../../shell/places';
  import { router } from '../../shell/router.svelte';
  import PathView from './PathView.svelte';
  import SignalLine from './SignalLine.svelte';
  import type { SignalWork } from './signalWork.svelte';

  /** The signals that the filter left, one a line: cells edited in place, the path of one opened below it. */
  let { work, chosen }: { work: SignalWork; chosen: string } = $props();

  const ROW = 28;
  const OPENED = 158;
  const HEADS: [string, boolean][] = [
    ['Signal', false],
    ['Type', false],
    ['Linked to', false],
    ['Range', true],
    ['In the image', false],
    ['Worst/asked ms', true],
    ['Now', true],
    ['State', false],
  ];

  let grid = $state<HTMLDivElement>();
  const plant = $derived(work.plant);
  const many = $derived(work.controllers.size > 1);
  const view = new RowsInView(
    () => work.signals.length,
    () => ROW,
    () => (work.openedAt >= 0 ? { row: work.openedAt, height: OPENED } : null),
  );
  const visible = $derived(work.signals.slice(view.first, view.end));

  export function focus() {
    grid?.focus({ preventScroll: true });
  }

  const reveal = () => void tick().then(() => view.reveal(grid, work.until ?? work.at));

  $effect(() => {
    const id = chosen;
    void work.signals;
    untrack(() => work.arrive(id) && reveal());
  });

  $effect(() => {
    if (plant.bench.running) plant.bench.follow(visible.map((signal) => signal.id));
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

  const KEYS: Record<string, (event: KeyboardEvent) => unknown> = {
    ArrowDown: (event) => choose((work.until ?? work.at) + 1, event.shiftKey),
    ArrowUp: (event) => choose((work.until ?? work.at) - 1, event.shiftKey),
    PageDown: () => choose(work.at + view.page),
    PageUp: () => choose(work.at - view.page),
    Home: () => choose(0),
    End: () => choose(work.signals.length - 1),
    Enter: () => work.begin('name'),
    F2: () => work.begin('name'),
    ' ': toggle,
    Delete: () => work.remove(),
  };

  function key(event: KeyboardEvent) {
    if (work.editing || (event.target as HTMLElement) !== grid) return;
    const control = event.ctrlKey || event.metaKey;
    const fill = control && event.key.toLowerCase() === 'd';
    const act = fill ? () => work.fillDown() : KEYS[event.key];
    if (!act) return;
    void act(event);
    event.preventDefault();
    event.stopPropagation();
  }

  function clicked(n: number, extend: boolean) {
    if (work.editing && n === work.at) return;
    if (work.editing) work.cancel();
    choose(n, extend);
    focus();
  }
</script>

<div class="table" role="grid" aria-label="Signals" aria-rowcount={work.signals.length + 1}>
  <div class="heads" role="row" tabindex="-1">
    {#each HEADS as [head, right] (head)}<span role="columnheader" tabindex="-1" class:right
        >{head}</span
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
    <div style:height="{view.full}px" class="sheet">
      {#each visible as signal, i (signal.id)}
        {@const n = view.first + i}
        {@const link = work.links.get(signal.id)}
        {@const below = view.top(n) + ROW}
        {@const own = n === work.at}
        <!-- svelte-ignore a11y_click_events_have_key_events (the keys are those of the grid) -->
        <div
          class="line"
          class:chosen={work.isChosen(signal.id)}
          style:top="{view.top(n)}px"
          role="row"
          tabindex="-1"
          aria-selected={work.isChosen(signal.id)}
          onclick={(event) => clicked(n, event.shiftKey)}
        >
          <SignalLine
            {plant}
            {signal}
            link={link?.link}
            more={link?.more ?? 0}
            owner={many ? (work.controllers.get(signal.controller) ?? '') : ''}
            place={work.holder(link?.link.place ?? '')}
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
          <div
            class="linker"
            style:top="{below}px"
            role="row"
            aria-label="Link {signal.name}"
            tabindex="-1"
            onkeydown={(event) => {
              event.stopPropagation();
              if (event.key === 'Escape') cancel();
            }}
          >
            <div role="gridcell" class="row">
              <PlacePicker
                {plant}
                controller={signal.controller}
                bind:place={work.linkPlace}
                bind:key={work.linkKey}
                focus
                onenter={() => void commit()}
              />
              <button class="primary" onclick={() => void commit()}>Link</button>
              <button onclick={cancel}>Cancel</button>
            </div>
          </div>
        {/if}
        {#if own && work.problem}<p class="problem" aria-hidden="true" style:top="{below}px">
            {work.problem}
          </p>{/if}
      {/each}
    </div>
  </div>
</div>
<p class="unseen" role="alert">{work.problem}</p>

<style>
  .heads,
  .line {
    display: grid;
    grid-template-columns: 184px 46px minmax(92px, 2fr) 98px 144px 84px 46px minmax(88px, 0.6fr);
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
    min-width: 706px;
  }
  /* Where there is no room for all of it, where a signal lies in the image is left to its own sheet. */
  @container (max-width: 825px) {
    .heads,
    .line {
      grid-template-columns: 184px 46px minmax(92px, 2fr) 98px 0 104px 46px minmax(84px, 0.6fr);
    }
    .heads span,
    .line > :global(*) {
      overflow: hidden;
    }
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
  .linker,
  .problem {
    position: absolute;
    left: 190px;
    z-index: 5;
    background: var(--leaf);
    border: 1px solid var(--heather);
    padding: var(--s4) var(--s4);
    display: flex;
    gap: var(--s4);
    align-items: end;
  }
  .problem {
    left: 0;
    border-color: var(--bracken);
    color: var(--bracken);
    max-width: 520px;
  }
</style>
