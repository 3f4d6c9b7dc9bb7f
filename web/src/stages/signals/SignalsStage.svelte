<script lang="ts">
  import { tick, untrack } from 'svelte';
  import { Problem } from '../../api/client';
  import Empty from '../../kit/Empty.svelte';
  import { plural } from '../../kit/numbers';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import { rootOf } from '../../plant/rails';
  import { pathTo } from '../../shell/places';
  import { linksOf } from '../../plant/links';
  import { router } from '../../shell/router.svelte';
  import AddRun from './AddRun.svelte';
  import { COLUMNS, type Column, type Editing } from './columns';
  import { parseFilter } from '../../kit/filter';
  import PathView from './PathView.svelte';
  import PlacePicker from '../../kit/PlacePicker.svelte';
  import SignalLine from './SignalLine.svelte';

  let { plant, chosen }: { plant: PlantStore; chosen: string } = $props();

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
  let words = $state('');
  let adding = $state(false);
  let opened = $state('');
  let at = $state(0);
  let until = $state<number | null>(null);
  let editing = $state<Editing | null>(null);
  let problem = $state('');
  let top = $state(0);
  let height = $state(500);
  let grid = $state<HTMLDivElement>();
  let linkPlace = $state('');
  let linkKey = $state('');

  const controllers = $derived(new Map(plant.list('controllers').map((c) => [c.id, c.name])));
  const links = $derived(linksOf(plant));
  const many = $derived(controllers.size > 1);
  const all = $derived(
    plant
      .list('controllers')
      .flatMap((controller) => plant.list('signals', 'controller', controller.id)),
  );
  const signals = $derived.by(() => {
    if (!words.trim()) return all;
    const test = parseFilter(words);
    return all.filter((signal) => test(facts(signal)));
  });
  const linkedCount = $derived(all.filter((signal) => links.has(signal.id)).length);
  const openedAt = $derived(signals.findIndex((signal) => signal.id === opened));
  const first = $derived(Math.max(0, Math.floor(top / ROW) - 6));
  const last = $derived(Math.min(signals.length, first + Math.ceil(height / ROW) + 14));
  const visible = $derived(signals.slice(first, last));
  const full = $derived(signals.length * ROW + (openedAt >= 0 ? OPENED : 0));
  const offset = (n: number) => n * ROW + (openedAt >= 0 && n > openedAt ? OPENED : 0);

  function facts(signal: Row<'signals'>) {
    const link = links.get(signal.id)?.link;
    const place = link ? holder(link.place) : '';
    const owner = controllers.get(signal.controller) ?? '';
    const kind = link
      ? plant.row('modules', link.place)
        ? link.scaling
          ? 'analogue'
          : 'digital'
        : 'network'
      : 'unlinked';
    return {
      text: `${owner}.${signal.name} ${signal.note ?? ''} ${place}`,
      keys: {
        type: signal.type,
        unit: signal.unit ?? '',
        at: place,
        in: owner,
        kind,
        name: signal.name,
      },
    };
  }

  function holder(id: string): string {
    const module = plant.row('modules', id);
    if (module) {
      const type = plant.type(module.type)?.name ?? '';
      if (module.designation) return `${module.designation} ${type}`;
      // Without a designation of its own it is told apart by what it hangs on.
      const root = rootOf(plant, module.rail);
      return plant.row('stations', root?.id) ? `${root?.name}, ${type}` : type;
    }
    const exchange = plant.row('exchanges', id);
    const station = plant.row('stations', plant.row('connections', exchange?.connection)?.station);
    return exchange ? `${station?.name ?? ''}, ${exchange.name}` : '';
  }

  $effect(() => {
    const id = chosen;
    const count = signals.length;
    untrack(() => {
      const n = signals.findIndex((signal) => signal.id === id);
      if (n >= 0 && signals[at]?.id !== id) {
        at = n;
        reveal();
      } else if (at >= count) at = Math.max(0, count - 1);
      if (n >= 0) plant.select(id);
    });
  });

  $effect(() => {
    if (plant.bench.running) plant.bench.follow(visible.map((signal) => signal.id));
  });

  function choose(n: number, extend = false) {
    n = Math.max(0, Math.min(signals.length - 1, n));
    if (extend) until = n;
    else {
      at = n;
      until = null;
    }
    const ids = range().map((i) => signals[i]!.id);
    plant.select(...ids);
    if (ids.length === 1) router.go(`/p/${plant.key}/signals/${ids[0]}`, { replace: true });
    reveal();
  }

  function range(): number[] {
    const [from, to] = until === null ? [at, at] : at < until ? [at, until] : [until, at];
    return Array.from({ length: to - from + 1 }, (_, n) => from + n).filter(
      (n) => n < signals.length,
    );
  }

  function reveal() {
    void tick().then(() => {
      if (!grid) return;
      const y = offset(until ?? at);
      if (y < grid.scrollTop) grid.scrollTop = y;
      else if (y + ROW > grid.scrollTop + height)
        grid.scrollTop = y + ROW - height + (openedAt === at ? OPENED : 0);
    });
  }

  /** Where a link leads, in one word. */
  const word = (link: Row<'links'> | undefined): string =>
    (link && plant.part('signal.path', link.signal)?.links.find((l) => l.link === link.id)?.key) ??
    link?.key ??
    '';

  function begin(column: Column, text?: string) {
    const signal = signals[at];
    if (!signal || !plant.mayEdit) return;
    problem = '';
    if (column === 'link') {
      linkPlace = links.get(signal.id)?.link.place ?? '';
      linkKey = word(links.get(signal.id)?.link);
    }
    const value = column === 'link' ? '' : signal[column];
    editing = { column, text: text ?? (value == null ? '' : String(value)) };
  }

  async function commit(go = 0) {
    const signal = signals[at];
    const current = editing;
    if (!signal || !current) return;
    try {
      if (current.column === 'link') await relink(signal);
      else if (String(signal[current.column] ?? '') !== current.text) {
        const ids =
          range().length > 1 && current.column !== 'name'
            ? range().map((n) => signals[n]!.id)
            : [signal.id];
        const value = current.text === '' && current.column === 'asked_ms' ? null : current.text;
        await plant.edit(
          { kind: 'set', ids, values: { [current.column]: value } },
          `${ids.length > 1 ? plural(ids.length, 'signal') : signal.name}: ${current.column}`,
        );
      }
      editing = null;
      problem = '';
      plant.endPreview();
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
      return;
    }
    grid?.focus({ preventScroll: true });
    if (go) {
      const next = COLUMNS.indexOf(current.column) + go;
      if (COLUMNS[next]) begin(COLUMNS[next]);
    }
  }

  async function relink(signal: Row<'signals'>) {
    const link = links.get(signal.id)?.link;
    if (!linkPlace && link)
      await plant.edit({ kind: 'remove', ids: [link.id] }, `Unlink ${signal.name}`);
    else if (linkPlace && linkKey && (link?.place !== linkPlace || word(link) !== linkKey)) {
      await plant.edit(
        {
          kind: 'link',
          signal: signal.id,
          place: linkPlace,
          key: linkKey,
          instead: link?.id ?? null,
          also: false,
        },
        `Link ${signal.name}`,
      );
    }
  }

  function cancel() {
    editing = null;
    problem = '';
    plant.endPreview();
    grid?.focus({ preventScroll: true });
  }

  function key(event: KeyboardEvent) {
    if (editing || (event.target as HTMLElement) !== grid) return;
    const control = event.ctrlKey || event.metaKey;
    const page = Math.floor(height / ROW) - 1;
    if (event.key === 'ArrowDown') choose((until ?? at) + 1, event.shiftKey);
    else if (event.key === 'ArrowUp') choose((until ?? at) - 1, event.shiftKey);
    else if (event.key === 'PageDown') choose(at + page);
    else if (event.key === 'PageUp') choose(at - page);
    else if (event.key === 'Home') choose(0);
    else if (event.key === 'End') choose(signals.length - 1);
    else if (event.key === 'Enter' || event.key === 'F2') begin('name');
    else if (event.key === ' ') opened = opened === signals[at]?.id ? '' : (signals[at]?.id ?? '');
    else if (event.key === 'Delete') void remove();
    else if (control && event.key.toLowerCase() === 'd') void fillDown();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** From the filter to what it left. */
  function intoRows(event: KeyboardEvent) {
    if ((event.key !== 'Enter' && event.key !== 'ArrowDown') || !signals.length) return;
    event.preventDefault();
    choose(Math.min(at, signals.length - 1));
    grid?.focus({ preventScroll: true });
  }

  async function remove() {
    const ids = range().map((n) => signals[n]!.id);
    if (!ids.length || !plant.mayEdit) return;
    until = null;
    await plant
      .edit(
        { kind: 'remove', ids },
        `Remove ${ids.length > 1 ? plural(ids.length, 'signal') : signals[at]?.name}`,
      )
      .catch(() => {});
  }

  /** Type, unit, task and asked response of the first chosen signal for all chosen ones. */
  async function fillDown() {
    const rows = range().map((n) => signals[n]!);
    const model = rows[0];
    if (!model || rows.length < 2) return;
    const values = { type: model.type, unit: model.unit ?? '', asked_ms: model.asked_ms ?? null };
    await plant
      .edit(
        { kind: 'set', ids: rows.slice(1).map((r) => r.id), values },
        `Fill down from ${model.name}`,
      )
      .catch(() => {});
  }

  /** Rows from a spreadsheet: name, type, unit, note; one edit for all of them. */
  async function paste(event: ClipboardEvent) {
    const text = event.clipboardData?.getData('text/plain') ?? '';
    const target = event.target as HTMLElement;
    if (target.matches('input, textarea, select') || !text.trim() || !plant.mayEdit) return;
    event.preventDefault();
    const controller = signals[at]?.controller ?? plant.list('controllers')[0]?.id;
    if (!controller) return;
    const edits = text
      .trim()
      .split(/\r?\n/)
      .map((line) => line.split('\t').map((cell) => cell.trim()))
      .filter(([name]) => name)
      .map(([name, type, unit, note]) => ({
        kind: 'add-signals' as const,
        controller,
        pattern: name!,
        start: 1,
        step: 1,
        count: 1,
        type: (type || 'BOOL').toUpperCase(),
        unit: unit ?? '',
        note: note ?? '',
      }));
    if (edits.length)
      await plant
        .edit({ kind: 'batch', edits }, `Paste ${plural(edits.length, 'signal')}`)
        .catch(() => {});
  }
</script>

<svelte:window onpaste={paste} />

<header class="row">
  <h1>Signals</h1>
  <span class="quiet"
    >{linkedCount} of {all.length} linked · <kbd>Enter</kbd> edits, <kbd>Space</kbd> opens the path, paste
    takes rows from a spreadsheet</span
  >
</header>
<div class="row tools">
  <input
    bind:value={words}
    placeholder="Filter: bed4 | bed5  kind:analogue  -spray"
    aria-label="Filter the signals"
    onkeydown={intoRows}
  />
  <span class="mono quiet">{signals.length}</span>
  <span class="wide"></span>
  {#if plant.mayEdit}<button
      class:primary={!all.length}
      disabled={!controllers.size}
      onclick={() => (adding = !adding)}>Add signals …</button
    >{/if}
</div>
{#if adding}
  <AddRun
    {plant}
    oncancel={() => (adding = false)}
    onmade={(id) => {
      adding = false;
      words = '';
      router.go(`/p/${plant.key}/signals/${id}`, { replace: true });
    }}
  />
{/if}

{#if !all.length}
  <Empty title="No signal yet">
    <p>
      A signal is a named, typed variable of the program, linked to a channel of a module or to a
      piece of an exchange. Name one, or a whole run with a counting pattern such as <code
        >Bed&#123;n&#125;Temp</code
      >.
    </p>
    {#if !controllers.size}<p>First add a controller in Hardware.</p>{/if}
  </Empty>
{:else}
  <div class="table" role="grid" aria-label="Signals" aria-rowcount={signals.length + 1}>
    <div class="heads" role="row" tabindex="-1">
      {#each HEADS as [head, right] (head)}<span role="columnheader" tabindex="-1" class:right
          >{head}</span
        >{/each}
    </div>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions (one stop for all rows: arrows choose among them) -->
    <div
      class="grid"
      bind:this={grid}
      bind:clientHeight={height}
      onscroll={() => (top = grid?.scrollTop ?? 0)}
      onkeydown={key}
      role="rowgroup"
      tabindex="0"
      aria-label="Rows"
    >
      <div style:height="{full}px" class="sheet">
        {#each visible as signal, i (signal.id)}
          {@const n = first + i}
          <!-- svelte-ignore a11y_click_events_have_key_events (the keys are those of the grid) -->
          <div
            class="line"
            class:chosen={range().includes(n)}
            style:top="{offset(n)}px"
            role="row"
            tabindex="-1"
            aria-selected={range().includes(n)}
            onclick={(event) => {
              if (editing && n === at) return;
              if (editing) cancel();
              choose(n, event.shiftKey);
              grid?.focus({ preventScroll: true });
            }}
          >
            <SignalLine
              {plant}
              {signal}
              link={links.get(signal.id)?.link}
              more={links.get(signal.id)?.more ?? 0}
              owner={many ? (controllers.get(signal.controller) ?? '') : ''}
              place={holder(links.get(signal.id)?.link.place ?? '')}
              editing={n === at ? editing : null}
              onbegin={begin}
              oncommit={(go) => void commit(go)}
              oncancel={cancel}
            />
          </div>
          {#if signal.id === opened}
            {@const path = plant.part('signal.path', signal.id)}
            <div class="opened" style:top="{offset(n) + ROW}px" role="row">
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
          {#if editing?.column === 'link' && n === at}
            <div
              class="linker"
              style:top="{offset(n) + ROW}px"
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
                  bind:place={linkPlace}
                  bind:key={linkKey}
                  focus
                  onenter={() => void commit()}
                />
                <button class="primary" onclick={() => void commit()}>Link</button>
                <button onclick={cancel}>Cancel</button>
              </div>
            </div>
          {/if}
          {#if problem && n === at}<p
              class="problem"
              aria-hidden="true"
              style:top="{offset(n) + ROW}px"
            >
              {problem}
            </p>{/if}
        {/each}
      </div>
    </div>
  </div>
  <p class="unseen" role="alert">{problem}</p>
{/if}

<style>
  .tools {
    margin: 8px 0 4px;
  }
  .tools input {
    width: 340px;
  }
  .heads,
  .line {
    display: grid;
    grid-template-columns: 184px 46px minmax(92px, 2fr) 98px 144px 84px 46px minmax(88px, 0.6fr);
    gap: 0 8px;
    align-items: center;
  }
  .heads span {
    white-space: nowrap;
  }
  .heads {
    color: var(--ink-2);
    border-bottom: 1px solid var(--rule-2);
    height: 26px;
    padding-right: 10px;
  }
  .table {
    display: contents;
  }
  .grid {
    height: calc(100vh - 172px - var(--above, 0px));
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
    padding: 8px 10px;
    display: flex;
    gap: 10px;
    align-items: end;
  }
  .problem {
    left: 0;
    border-color: var(--bracken);
    color: var(--bracken);
    max-width: 520px;
  }
</style>
