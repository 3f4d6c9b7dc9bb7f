<script lang="ts">
  import { untrack } from 'svelte';
  import { got, http, type DeviceType, type Schemas } from '../../api/client';
  import { parseFilter } from '../../kit/filter';
  import { plural } from '../../kit/numbers';
  import { RowsInView } from '../../kit/rows.svelte';
  import type { PlantStore } from '../../plant/store.svelte';
  import Compare from './Compare.svelte';
  import DeviceSheet from './DeviceSheet.svelte';
  import { placeTemplate, placeType } from './placing';
  import ReadingTray from './ReadingTray.svelte';
  import { Tray } from './tray.svelte';
  import TypeFacts from './TypeFacts.svelte';
  import TypeRow from './TypeRow.svelte';

  /** All types of the plant, with what the place one came from asks of them; files are dropped here. */
  let { plant, place }: { plant: PlantStore; place: string } = $props();

  const tray = untrack(() => new Tray(plant));
  const ROW = 28;
  let words = $state('');
  let at = $state(0);
  let marked = $state.raw<string[]>([]);
  let demand = $state.raw<Schemas['DemandOut'] | null>(null);
  let without = $state.raw<string[]>([]);
  let dropping = $state(false);
  let sheet = $state(false);
  let list = $state<HTMLDivElement>();
  let picker = $state<HTMLInputElement>();

  $effect(() => {
    void plant.revision;
    const query = place ? { place } : {};
    http
      .GET('/api/plants/{key}/demand', { params: { path: { key: plant.key }, query } })
      .then((answer) => (demand = got(answer)))
      .catch(() => (demand = null));
  });

  let templates = $state.raw<Schemas['TemplateOut'][]>([]);
  $effect(() => {
    if (!plant.row('networks', place) || !plant.mayEdit) return;
    http
      .GET('/api/templates')
      .then((answer) => {
        const all = got(answer) as Schemas['TemplateOut'][];
        templates = all.filter((t) => t.kind === 'station');
      })
      .catch(() => {});
  });

  const verdicts = $derived(new Map(demand?.verdicts.map((v) => [v.type, v])));
  const conditions = $derived(demand?.conditions.filter((c) => !without.includes(c.key)) ?? []);
  const failed = $derived((type: DeviceType) =>
    conditions.filter((c) => verdicts.get(type.key)?.fails.includes(c.key)),
  );
  const passes = $derived(parseFilter(words));
  const facts = (t: DeviceType) => ({
    text: `${t.name} ${t.maker} ${t.order_number} ${t.summary} ${t.fieldbus} ${t.family} ${t.kind}`,
    keys: {
      maker: t.maker,
      from: from(t),
      fieldbus: t.fieldbus,
      kind: t.kind,
      order: t.order_number,
    },
  });
  const FAMILIES: Record<string, string> = {
    'cip-eds': 'EDS',
    'ethercat-esi': 'ESI',
    'profibus-gsd': 'GSD',
    'profinet-gsdml': 'GSDML',
    'register-map': 'map',
    'device-sheet': 'sheet',
  };
  const from = (t: DeviceType) =>
    t.family
      ? (FAMILIES[t.family] ?? t.family)
      : t.key.startsWith('generic.')
        ? 'generic'
        : 'built in';
  // The plant's own types first, the built-in ones next, those to be filled by hand last.
  const order = (t: DeviceType) => (t.family ? 0 : t.key.startsWith('generic.') ? 2 : 1);
  const onRail = $derived(!!plant.row('rails', place) || !!plant.row('modules', place));
  // Modules of a device's file are shown where they can go: on a rail of it.
  const candidates = $derived(
    plant.catalogue.types.filter(
      (t) => !t.head || (onRail && !failed(t).some((c) => c.key === 'rail')),
    ),
  );
  // What could go there but for one condition stands before what belongs elsewhere.
  const misfit = (fails: { key: string }[]) =>
    !fails.length ? 0 : fails.some((c) => c.key === 'rail' || c.key === 'fieldbus') ? 2 : 1;
  const found = $derived(
    candidates
      .filter((t) => passes(facts(t)))
      .map((type) => ({ type, fails: failed(type) }))
      .sort((a, b) => misfit(a.fails) - misfit(b.fails) || order(a.type) - order(b.type)),
  );
  const octets = $derived(
    Math.max(1, ...candidates.map((t) => Math.max(t.in_octets, t.out_octets))),
  );
  const chosen = $derived(found[Math.min(at, found.length - 1)]?.type);
  const view = new RowsInView(
    () => found.length,
    () => ROW,
  );
  const drawn = $derived(found.slice(view.first, view.end));
  const makers = $derived(
    new Set(plant.catalogue.types.filter((t) => !t.head).map((t) => t.maker)),
  );
  const fitting = $derived(found.filter((f) => !f.fails.length).length);

  $effect(() => {
    if (chosen) plant.select(...(chosen.pin ? [chosen.pin] : []));
  });

  function step(to: number) {
    at = Math.max(0, Math.min(found.length - 1, to));
    view.reveal(list, at);
  }

  function mark(key: string) {
    marked = marked.includes(key) ? marked.filter((k) => k !== key) : [...marked.slice(-2), key];
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'ArrowDown') step(at + 1);
    else if (event.key === 'ArrowUp') step(at - 1);
    else if (event.key === 'Enter') void placeIt();
    else if (event.key === ' ' && event.target === list && chosen) mark(chosen.key);
    else if (event.key === 'Delete' && event.target === list && chosen?.pin) void remove(chosen);
    else if (event.key === 'Escape' && words) words = '';
    else return;
    event.preventDefault();
  }

  /** Place the chosen type where one came from. */
  async function placeIt() {
    if (chosen && place && plant.mayEdit) await placeType(plant, chosen, place);
  }

  async function remove(type: DeviceType) {
    await plant
      .edit({ kind: 'remove', ids: [type.pin!] }, `Delete type ${type.name}`)
      .catch(() => {});
  }

  function dropped(event: DragEvent) {
    event.preventDefault();
    dropping = false;
    if (plant.mayEdit) tray.add(event.dataTransfer?.files ?? []);
  }
</script>

<svelte:window
  ondragover={(event) => {
    event.preventDefault();
    dropping = true;
  }}
  ondragleave={(event) => (dropping = event.relatedTarget !== null)}
  ondrop={dropped}
/>

<div class="sheet" class:dropping>
  <header class="row">
    <h1>Catalogue</h1>
    <span class="quiet"
      >{plural(plant.catalogue.types.filter((t) => !t.head).length, 'type')} from {plural(
        makers.size,
        'maker',
      )}{plant.mayEdit ? ' · drop description files anywhere on this sheet' : ''}</span
    >
    <span class="wide"></span>
    {#if plant.mayEdit}
      <input
        bind:this={picker}
        type="file"
        multiple
        hidden
        aria-label="Description files"
        onchange={(event) => {
          tray.add(event.currentTarget.files ?? []);
          event.currentTarget.value = '';
        }}
      />
      <button onclick={() => (sheet = !sheet)}>By hand …</button>
      <button onclick={() => picker?.click()}>Read files …</button>
    {/if}
  </header>

  {#if sheet}
    <DeviceSheet {plant} {tray} onclose={() => (sheet = false)} />
  {/if}
  {#if tray.entries.length}<ReadingTray {plant} {tray} />{/if}

  {#if templates.length}
    <p class="row templates">
      <span class="quiet">Templates</span>
      {#each templates as template (template.id)}
        <button onclick={() => void placeTemplate(plant, template, place)}>{template.name}</button>
      {/each}
    </p>
  {/if}
  <div class="row demand">
    {#if place && demand}
      <span class="from">{demand.label}</span>
      {#each conditions as condition (condition.key)}
        <button
          class="condition"
          title="Take this condition away"
          onclick={() => (without = [...without, condition.key])}
          >{condition.label} <span aria-hidden="true">×</span></button
        >
      {/each}
      {#if without.length}<button class="plain" onclick={() => (without = [])}>Show all</button
        >{/if}
    {/if}
    <input
      bind:value={words}
      placeholder="Words, or maker:… kind:… from:…"
      aria-label="Search the catalogue"
      oninput={() => step(0)}
      onkeydown={key}
    />
    <span class="mono quiet">{place ? `${fitting} fit of ${found.length}` : found.length}</span>
  </div>

  <div class="line heads quiet" aria-hidden="true">
    <span>Type</span><span>Maker</span><span>From</span>
    <span class="scale">◂ octets ▸ <span>0.1 ms–1 s</span></span>
    <span class="number">in</span><span class="number">out</span><span class="number">ms</span><span
      class="number">conn.</span
    ><span class="number">mA</span><span class="number">{place ? 'left after' : 'used'}</span>
  </div>
  <div
    class="list"
    bind:this={list}
    bind:clientHeight={view.height}
    role="listbox"
    tabindex="0"
    aria-label="Types"
    onscroll={() => (view.scrolled = list?.scrollTop ?? 0)}
    onkeydown={key}
  >
    <div style:height="{found.length * ROW}px" class="all">
      {#each drawn as { type, fails }, n (type.key)}
        <TypeRow
          {type}
          from={from(type)}
          {octets}
          fails={fails.map((f) => f.label)}
          verdict={place ? verdicts.get(type.key) : undefined}
          chosen={type.key === chosen?.key}
          marked={marked.includes(type.key)}
          top={(view.first + n) * ROW}
          onchoose={() => {
            at = view.first + n;
            list?.focus();
          }}
          onplace={() => void placeIt()}
        />
      {:else}
        <p class="none quiet">
          {words
            ? 'No type is called so. A file of its maker may be read in, or the device entered by hand.'
            : 'Nothing is in the catalogue.'}
        </p>
      {/each}
    </div>
  </div>

  <div class="below">
    {#if marked.length > 1}
      <Compare {plant} types={marked} onclear={() => (marked = [])} />
    {:else if chosen}
      {#key chosen.key}
        <TypeFacts
          {plant}
          type={chosen}
          {tray}
          placing={place &&
          plant.mayEdit &&
          !failed(chosen).some((c) => c.key === 'rail' || c.key === 'fieldbus')
            ? (demand?.label ?? '')
            : ''}
          onplace={placeIt}
          onremove={() => void remove(chosen)}
        />
      {/key}
    {/if}
  </div>
</div>

<style>
  .sheet {
    --columns: minmax(150px, 1.6fr) minmax(110px, 1.1fr) 52px 150px 34px 34px 36px 38px 36px
      minmax(84px, 0.7fr);
    display: flex;
    flex-direction: column;
    height: 100%;
    min-height: 560px;
  }
  /* Where there is no room for all of it, figures stand without their drawing. */
  @container (max-width: 800px) {
    .sheet {
      --columns: minmax(140px, 1.6fr) minmax(100px, 1fr) 52px 34px 34px 36px 38px 36px
        minmax(84px, 0.7fr);
    }
    .heads > :nth-child(4),
    .list :global(.line > :nth-child(4)) {
      display: none;
    }
  }
  .dropping {
    outline: 2px dashed var(--heather);
    outline-offset: 6px;
  }
  header {
    align-items: baseline;
    margin-bottom: var(--s4);
  }
  .demand {
    flex-wrap: wrap;
    margin-bottom: var(--s3);
  }
  .demand input {
    flex: 1;
    min-width: 150px;
  }
  .templates {
    flex-wrap: wrap;
    margin-bottom: var(--s3);
  }
  .from {
    font-weight: 600;
  }
  .condition {
    font-weight: 500;
    border-color: var(--rule-2);
    padding: 1px var(--s3);
  }
  .line {
    display: grid;
    grid-template-columns: var(--columns);
    gap: 0 var(--s4);
    align-items: center;
  }
  .heads {
    font-size: var(--f-note);
    border-bottom: 1px solid var(--rule-2);
    padding: var(--s1) var(--s3) var(--s2) var(--s2);
  }
  .scale {
    display: flex;
    justify-content: space-between;
    padding: 0 var(--s1) 0 var(--s4);
    white-space: nowrap;
  }
  .list {
    flex: 1 1 300px;
    min-height: 180px;
    overflow-y: auto;
    outline-offset: 0;
  }
  .all {
    position: relative;
  }
  .number {
    text-align: right;
    white-space: nowrap;
  }
  .none {
    padding: var(--s5) var(--s2);
  }
  .below {
    flex: 0 1 auto;
    max-height: 46%;
    overflow-y: auto;
    border-top: 1px solid var(--rule-2);
    margin-top: var(--s3);
    padding-top: var(--s4);
  }
</style>
