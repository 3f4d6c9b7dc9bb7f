<script lang="ts">
  import { tick, untrack } from 'svelte';
  import { got, http, type Edit } from '../../api/client';
  import Empty from '../../kit/Empty.svelte';
  import { plural, shown } from '../../kit/numbers';
  import { headName, headOf, rootOf } from '../../plant/rails';
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';
  import AddController from './AddController.svelte';
  import ChannelTable from './ChannelTable.svelte';
  import { heldClip, keepClip, type Clip } from './clips';
  import FieldGroups from './FieldGroups.svelte';
  import { boxes, gapAt, seatAt } from './layout';
  import ModuleBox from './ModuleBox.svelte';
  import RailHead from './RailHead.svelte';
  import RailIndex from './RailIndex.svelte';
  import Shelf from './Shelf.svelte';
  import Staircase from './Staircase.svelte';

  let { plant, railId, chosen }: { plant: PlantStore; railId: string; chosen: string } = $props();

  let width = $state(880);
  let adding = $state(false);
  let placing = $state<'insert' | 'replace'>('insert');
  let at = $state(-1);
  let until = $state<number | null>(null);
  let shelf = $state<Shelf>();
  // The module just placed: while one goes on placing, the next one goes behind it.
  let placed = $state('');
  let panel = $state<'modules' | 'channels'>('modules');
  let copied = $state('');
  let drawing = $state<HTMLDivElement>();
  let drag = $state.raw<{
    ids: string[];
    type: string;
    startX: number;
    moved: boolean;
    target: number;
  } | null>(null);

  const rail = $derived(plant.row('rails', railId) ?? plant.list('rails').at(0));
  const controller = $derived(plant.row('controllers', rail?.head));
  const head = $derived(headOf(plant, rail));
  const root = $derived(rootOf(plant, rail?.id));
  const network = $derived(
    plant.row('networks', root && 'network' in root ? root.network : undefined),
  );
  const headTitle = $derived(
    [network?.name, head !== root && root?.name, head && headName(plant, head)]
      .filter(Boolean)
      .join(', '),
  );
  const mounting = $derived(rail ? plant.part('rail.mounting', rail.id) : undefined);
  const power = $derived(rail ? plant.part('rail.power', rail.id) : undefined);
  const field = $derived(rail ? plant.part('rail.field', rail.id) : undefined);
  const seats = $derived(mounting?.seats ?? []);
  const laid = $derived(boxes(seats, at, width));
  const seat = $derived(seats[at]);
  // Of a head whose supply nobody knows nothing can be said to be short.
  const firstShort = $derived(
    power?.known ? power.steps.findIndex((step) => step.left_ma < 0) : -1,
  );

  // An address that names an object opens it; a finding elsewhere brings one here that way.
  $effect(() => {
    const wanted = chosen;
    const places = seats;
    untrack(() => {
      if (!places.length) return;
      const found = places.findIndex((s) => s.module === wanted);
      if (found >= 0) {
        at = found;
        plant.select(wanted);
      } else if (wanted && (plant.row('controllers', wanted) ?? plant.row('stations', wanted))) {
        at = -1;
        plant.select(wanted);
      } else if (at >= places.length) at = places.length - 1;
      else if (at === -1 && !wanted) at = places.findIndex((s) => s.kind === 'module');
    });
  });

  // What is looked at is followed, so that its channels show their values.
  $effect(() => {
    const channels = seat?.module
      ? plant.part('module.channels', seat.module)?.channels
      : undefined;
    if (plant.bench.running && channels)
      plant.bench.follow(channels.flatMap((c) => c.signals.map((s) => s.signal)));
  });

  function choose(n: number, extend = false) {
    placed = '';
    until = extend ? n : null;
    if (!extend) at = n;
    placing = 'insert';
    plant.endPreview();
    const ids = range().flatMap((i) => seats[i]?.module ?? []);
    plant.select(...(n < 0 && head ? [head.id] : ids));
    const only = ids.length === 1 ? `/${ids[0]}` : n < 0 && head ? `/${head.id}` : '';
    router.go(`/p/${plant.key}/hardware/${rail?.id}${only}`, { replace: true });
    drawing?.focus({ preventScroll: true });
  }

  function range(): number[] {
    if (until === null) return [at];
    const [from, to] = at < until ? [at, until] : [until, at];
    return Array.from({ length: to - from + 1 }, (_, n) => from + n);
  }

  /** Where something dropped on seat or gap `n` goes. */
  function target(n: number): { before: string | null; slot: number | null } {
    if (mounting?.addressed) return { before: null, slot: seats[n]?.slot ?? null };
    return { before: seats[n]?.module ?? null, slot: null };
  }

  const insertion = (type: string, n: number): Edit => ({
    kind: 'insert-modules',
    rail: rail!.id,
    type,
    count: 1,
    tag: '$new',
    ...target(n),
  });
  const replacement = (type: string): Edit => ({ kind: 'replace-module', id: seat!.module!, type });
  const nameOf = (type: string) => plant.type(type)?.name ?? type;

  function pending(type: string): { edit: Edit; label: string } {
    if (placing === 'replace' && seat?.module) {
      return { edit: replacement(type), label: `Replace ${seat.label} by ${nameOf(type)}` };
    }
    const slot = seats[next]?.slot;
    return {
      edit: insertion(type, next),
      label: `Insert ${nameOf(type)}${slot ? ` in slot ${slot}` : ''}`,
    };
  }

  const next = $derived.by(() => {
    const behind = placed ? seats.findIndex((s) => s.module === placed) : -1;
    return behind >= 0 ? behind + 1 : at < 0 ? seats.length : at;
  });

  const hint = (type: string) => {
    const { edit, label } = pending(type);
    void plant.tryOut(edit, label, rail ? [['rail.power', rail.id]] : []);
  };

  async function pick(type: string) {
    const { edit, label } = pending(type);
    const answer = await plant.edit(edit, label).catch(() => null);
    placing = 'insert';
    const made = answer?.tags['$new'];
    if (!made) {
      drawing?.focus();
      return;
    }
    router.go(`/p/${plant.key}/hardware/${rail?.id}/${made}`, { replace: true });
    placed = made;
    // What is typed on is the next module's name, never a command of the drawing.
    shelf?.focus();
  }

  async function move(by: number) {
    const ids = range().flatMap((i) => seats[i]?.module ?? []);
    const first = Math.min(...range());
    const last = Math.max(...range());
    if (!ids.length || !rail) return;
    const to = by < 0 ? first - 1 : last + 2;
    const edit: Edit = mounting?.addressed
      ? {
          kind: 'move-modules',
          ids,
          rail: rail.id,
          slot: (seats[first]?.slot ?? 1) + by,
          before: null,
        }
      : { kind: 'move-modules', ids, rail: rail.id, before: seats[to]?.module ?? null, slot: null };
    if (first + by < 0) return;
    await plant.edit(edit, `Move ${plural(ids.length, 'module')}`).catch(() => {});
    const id = ids[0]!;
    router.go(`/p/${plant.key}/hardware/${rail.id}/${id}`, { replace: true });
    // The seat follows the module once the rail has been computed anew.
    at = Math.max(0, Math.min(seats.length - 1, at + by));
  }

  async function act(letter: string): Promise<boolean> {
    const ids = range().flatMap((i) => seats[i]?.module ?? []);
    if (letter === 'i' || (letter === 'r' && seat?.module)) {
      placing = letter === 'i' ? 'insert' : 'replace';
      panel = 'modules';
      await tick();
      shelf?.focus();
    } else if (letter === 'd' && ids.length) {
      const edits = ids.map((id) => ({ kind: 'duplicate' as const, id }));
      const edit: Edit = edits.length === 1 ? edits[0]! : { kind: 'batch', edits };
      const what = ids.length > 1 ? plural(ids.length, 'module') : (seat?.label ?? '');
      await plant.edit(edit, `Duplicate ${what}`).catch(() => {});
    } else if (letter === 'n' && plant.selection[0]) {
      router.go(`/p/${plant.key}/hardware/replicate/${plant.selection[0]}`);
    } else if (letter === 'c') {
      router.go(`/p/${plant.key}/hardware/catalogue/${seat?.module ?? rail?.id ?? ''}`);
    } else if (letter === 'delete' && ids.length) {
      await plant
        .edit(
          { kind: 'remove', ids },
          `Remove ${ids.length > 1 ? `${ids.length} modules` : seat?.label}`,
        )
        .catch(() => {});
    } else return false;
    return true;
  }

  /** Copy what is chosen, so that it can be pasted on any rail of any plant in this browser. */
  async function copy() {
    const ids = range().flatMap((i) => seats[i]?.module ?? []);
    const wanted = ids.length ? ids : rail ? [rail.id] : [];
    const path = { params: { path: { key: plant.key } } };
    const answer = await http.POST('/api/plants/{key}/clip', { ...path, body: { ids: wanted } });
    if (answer.response.ok) {
      keepClip(got(answer) as Clip);
      copied = ids.length ? plural(ids.length, 'module') : 'the whole rail';
    }
  }

  async function paste(clip: Clip | null) {
    if (!clip || !rail || !plant.mayEdit) return;
    const n = at < 0 ? seats.length : at;
    const edit: Edit = { kind: 'paste', clip, into: rail.id, ...target(n) };
    const count = clip.rows.filter((row) => row.table === 'modules').length;
    await plant.edit(edit, `Paste ${plural(count, 'module')}`).catch(() => {});
    copied = '';
  }

  function key(event: KeyboardEvent) {
    if (event.ctrlKey || event.metaKey) {
      const letter = event.key.toLowerCase();
      if (letter === 'c') void copy();
      else if (letter === 'v') void paste(heldClip());
      else if (letter === 'a') {
        choose(0);
        choose(seats.length - 1, true);
      } else return;
      event.preventDefault();
      return;
    }
    const step = event.key === 'ArrowLeft' ? -1 : event.key === 'ArrowRight' ? 1 : 0;
    if (step && event.altKey) void move(step);
    else if (step && event.shiftKey)
      choose(Math.max(0, Math.min(seats.length - 1, (until ?? at) + step)), true);
    else if (step) choose(Math.max(-1, Math.min(seats.length - 1, at + step)));
    else if (event.key === 'Home') choose(0);
    else if (event.key === 'End') choose(seats.length - 1);
    else if (plant.mayEdit && ['i', 'r', 'd', 'n', 'c', 'delete'].includes(event.key.toLowerCase()))
      void act(event.key.toLowerCase());
    else return;
    event.preventDefault();
  }

  function grab(event: PointerEvent, ids: string[], type: string) {
    if (event.button !== 0 || !plant.mayEdit || (!ids.length && !type)) return;
    drag = { ids, type, startX: event.clientX, moved: false, target: -1 };
  }

  function dragged(event: PointerEvent) {
    if (!drag || !drawing || !rail) return;
    if (!drag.moved && Math.abs(event.clientX - drag.startX) < 6 && drag.ids.length) return;
    const area = drawing.getBoundingClientRect();
    const inside = event.clientY > area.top - 20 && event.clientY < area.bottom + 20;
    const x = event.clientX - area.left;
    const n = inside ? (mounting?.addressed ? seatAt(laid.seats, x) : gapAt(laid.seats, x)) : -1;
    if (n !== drag.target || !drag.moved) {
      drag = { ...drag, moved: true, target: n };
      if (n >= 0) void plant.tryOut(dropEdit(n), dropLabel(), [['rail.power', rail.id]]);
      else plant.endPreview();
    }
  }

  const dropEdit = (n: number): Edit =>
    drag!.type
      ? insertion(drag!.type, n)
      : { kind: 'move-modules', ids: drag!.ids, rail: rail!.id, ...target(n) };
  const dropLabel = () =>
    drag!.type ? `Insert ${nameOf(drag!.type)}` : `Move ${plural(drag!.ids.length, 'module')}`;

  async function dropped() {
    const held = drag;
    if (held?.moved && held.target >= 0) {
      const edit = dropEdit(held.target);
      const label = dropLabel();
      drag = null;
      await plant.edit(edit, label).catch(() => {});
    } else if (held?.moved) plant.endPreview();
    drag = null;
  }

  function wrong(id: string | null): 'error' | 'warning' | '' {
    if (!id) return '';
    const found = plant.findingsAt([id]).filter((f) => f.stage === 'hardware');
    return found.some((f) => f.severity === 'error') ? 'error' : found.length ? 'warning' : '';
  }

  const gapX = $derived(
    drag && drag.target >= 0 ? (laid.seats[drag.target]?.x ?? laid.total) - 2 : null,
  );
</script>

<svelte:window
  onpointermove={dragged}
  onpointerup={() => void dropped()}
  onpointercancel={() => (drag = null)}
/>

<div class="row top">
  <RailIndex
    {plant}
    current={rail?.id ?? ''}
    onopen={(id) => {
      at = -1;
      plant.select();
      router.go(`/p/${plant.key}/hardware/${id}`);
    }}
  />
  <span class="wide"></span>
  <span class="row tools">
    <button onclick={() => router.go(`/p/${plant.key}/hardware/catalogue/${rail?.id ?? ''}`)}
      >Catalogue</button
    >
    <button onclick={() => router.go(`/p/${plant.key}/hardware/quantities`)}>Quantities</button>
    {#if plant.mayEdit}<button onclick={() => (adding = !adding)}>Add a controller …</button>{/if}
  </span>
</div>
{#if adding}
  <AddController
    {plant}
    oncancel={() => (adding = false)}
    onmade={(id) => {
      adding = false;
      router.go(`/p/${plant.key}/hardware/${id}`);
    }}
  />
{/if}

{#if !rail || !head}
  <Empty title="No controller yet">
    <p>
      Start with a controller: its type, its firmware revision, its address. Then fill its rail with
      modules in the order they are mounted, and see whether the internal supply lasts.
    </p>
    {#if plant.mayEdit && !adding}<button class="primary" onclick={() => (adding = true)}
        >Add a controller</button
      >{/if}
  </Empty>
{:else}
  <header class="row title">
    <h1>{headTitle}</h1>
    {#if mounting}
      <span class="quiet">
        {plant.type(head.type)?.name ?? head.type}{controller
          ? `, firmware ${controller.firmware}`
          : ''} ·
        {plural(seats.length, 'slot')}, {mounting.addressed ? 'addressed' : 'counted left to right'} ·
        {shown(mounting.width_mm)} <span class="unit">mm</span> ·
        <span class:hot={mounting.too_hot}
          >{shown(mounting.heat_w)}{mounting.heat_limit_w == null
            ? ''
            : ` of ${shown(mounting.heat_limit_w)}`}</span
        > <span class="unit">W</span>
      </span>
    {/if}
    <span class="wide"></span>
    <span class="quiet keys"
      >{#if copied}<span role="status">Copied {copied}</span>{/if}
      <kbd>I</kbd> insert <kbd>R</kbd> replace <kbd>N</kbd> n more <kbd>?</kbd> all keys</span
    >
  </header>

  <div class="scroll" bind:clientWidth={width}>
    {#if field && mounting}<FieldGroups
        {field}
        head={laid.head}
        placed={laid.seats}
        slots={seats.map((s) => s.slot)}
        width={laid.total}
      />{/if}
    <div
      class="rail"
      bind:this={drawing}
      style:width="{laid.total}px"
      role="listbox"
      tabindex="0"
      aria-label="Rail of {headName(plant, head)}"
      onkeydown={key}
    >
      <div class="bar"></div>
      <RailHead
        {plant}
        {head}
        name={mounting?.head_name ?? ''}
        width={laid.head.width}
        chosen={at === -1 && plant.selection[0] === head.id}
        onchoose={() => choose(-1)}
      />
      {#each seats as item, n (item.module ?? `open-${n}`)}
        {@const box = laid.seats[n]}
        {#if box}
          <ModuleBox
            {plant}
            seat={item}
            {box}
            chosen={item.module
              ? plant.selection.includes(item.module)
              : range().includes(n) && n === at}
            wrong={wrong(item.module ?? null)}
            moving={drag?.moved === true && item.module != null && drag.ids.includes(item.module)}
            short={firstShort >= 0 &&
              n >= firstShort &&
              (power?.steps[n]?.left_ma ?? 0) < 0 &&
              item.module != null &&
              item.kind !== 'cover'}
            onchoose={(event) => choose(n, event.shiftKey)}
            ongrab={(event) =>
              grab(
                event,
                item.module
                  ? range().includes(n)
                    ? range().flatMap((i) => seats[i]?.module ?? [])
                    : [item.module]
                  : [],
                '',
              )}
          />
        {/if}
      {/each}
      {#if gapX !== null}<div class="gap" style:left="{gapX}px"></div>{/if}
    </div>
    {#if panel === 'channels'}<!-- The table of channels takes the room. -->{:else if power?.known}<Staircase
        {power}
        head={laid.head}
        placed={laid.seats}
        width={laid.total}
        pending={plant.pending('rail.power', rail.id)}
      />{:else if power}<p class="quiet">
        The file of {mounting?.head_name} says nothing about its internal supply.
      </p>{/if}
  </div>

  <nav class="row panels" aria-label="Below the rail">
    <button
      class="plain tab"
      class:current={panel === 'modules'}
      onclick={() => (panel = 'modules')}>Modules</button
    >
    <button
      class="plain tab"
      class:current={panel === 'channels'}
      disabled={!seat?.module}
      onclick={() => (panel = 'channels')}>Channels{seat?.module ? ` of ${seat.label}` : ''}</button
    >
  </nav>
  {#if panel === 'channels' && seat?.module}
    {#key seat.module}<ChannelTable {plant} module={seat.module} />{/key}
  {:else if plant.mayEdit}
    <Shelf
      bind:this={shelf}
      {plant}
      rail={rail.id}
      before={placing === 'insert' && !mounting?.addressed ? (seats[next]?.module ?? null) : null}
      instead={placing === 'replace' ? (seat?.module ?? null) : null}
      where={placing === 'replace'
        ? `the module in slot ${seat?.slot}`
        : placed
          ? 'Enter places the next one behind it, Escape ends'
          : seats[next]
            ? `Enter inserts before slot ${seats[next].slot}; or drag onto the rail`
            : 'Enter inserts behind the last; or drag onto the rail'}
      {placing}
      onpick={pick}
      onpaste={(clip) => void paste(clip)}
      onhint={hint}
      onleave={() => {
        placing = 'insert';
        placed = '';
        plant.endPreview();
        drawing?.focus();
      }}
      ongrab={(event, type) => grab(event, [], type)}
    />
  {/if}
{/if}

<style>
  .top {
    align-items: flex-start;
    margin: -4px 0 8px;
  }
  .title {
    margin-bottom: 8px;
    align-items: baseline;
  }
  .tools {
    flex: none;
  }
  .hot {
    color: var(--bracken);
    font-weight: 600;
  }
  .panels {
    border-bottom: 1px solid var(--rule);
    margin-top: 4px;
  }
  .tab.current {
    border-bottom: 3px solid var(--heather);
  }
  .keys {
    font-size: 12px;
    white-space: nowrap;
  }
  .scroll {
    overflow-x: auto;
  }
  .rail {
    position: relative;
    height: 306px;
    min-width: 100%;
    margin-bottom: 6px;
    outline: none;
  }
  .bar {
    position: absolute;
    left: 0;
    right: 0;
    top: 250px;
    height: 9px;
    background: var(--sunk);
    border: solid var(--rule);
    border-width: 1px 0;
  }
  .gap {
    position: absolute;
    top: -4px;
    bottom: -4px;
    width: 4px;
    background: var(--heather);
    z-index: 3;
  }
</style>
