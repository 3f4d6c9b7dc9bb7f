<script lang="ts">
  import { got, http, type Finding, type Remedy } from '../api/client';
  import Dials from '../kit/Dials.svelte';
  import DeltaRow from '../kit/DeltaRow.svelte';
  import Converter from '../kit/Converter.svelte';
  import FindingNote from '../kit/FindingNote.svelte';
  import { plural } from '../kit/numbers';
  import Rings from '../stages/networks/Rings.svelte';
  import ObjectForm from '../kit/ObjectForm.svelte';
  import { settled } from '../kit/settled';
  import type { PlantStore } from '../plant/store.svelte';
  import Links from './Links.svelte';
  import MoreOfIt from './MoreOfIt.svelte';
  import { pathTo } from './places';
  import { router } from './router.svelte';
  import { counts, stageOf } from './stages';

  /** One subject at a time: the pending edit on top, then findings, then facts of what is selected. */
  let { plant, folded, onfold }: { plant: PlantStore; folded: boolean; onfold: () => void } =
    $props();

  const RANK = { error: 0, warning: 1, note: 2 };
  const stage = $derived(stageOf(router.parts[2]));
  const selected = $derived(plant.selection.filter((id) => exists(id)));
  const here = $derived(related(selected));
  const findings = $derived(
    [
      ...(selected.length
        ? plant.findingsAt(here)
        : [...plant.findings.values()].filter((f) => f.stage === stage.key)),
    ].sort((a, b) => RANK[a.severity] - RANK[b.severity]),
  );
  // What one has just caused may lie elsewhere than where one looks.
  const elsewhere = $derived(
    selected.length
      ? [...plant.findings.values()].filter(
          (f) => f.stage === stage.key && f.severity !== 'note' && !findings.includes(f),
        )
      : [],
  );
  let remedies = $state.raw<Record<string, Remedy>>({});

  $effect(() => {
    void plant.revision;
    const keys = [...findings.slice(0, 12), ...elsewhere.slice(0, 4)].map((f) => f.key);
    if (!keys.length) return;
    const query = { params: { path: { key: plant.key }, query: { finding: keys } } };
    return settled(async () => {
      const answer = await http.GET('/api/plants/{key}/remedies', query);
      return () => (remedies = got(answer).remedies);
    });
  });

  function exists(id: string): boolean {
    return Object.values(plant.tables).some((table) => table.has(id));
  }

  /** What belongs to the selection: a link's finding is its signal's as well. */
  function related(ids: string[]): Set<string> {
    const result = new Set(ids);
    for (const id of ids) {
      if (plant.row('signals', id))
        for (const link of plant.list('links', 'signal', id)) result.add(link.id);
      if (plant.row('stations', id)) {
        for (const connection of plant.list('connections', 'station', id)) {
          result.add(connection.id);
          for (const exchange of plant.list('exchanges', 'connection', connection.id))
            result.add(exchange.id);
        }
      }
      if (plant.row('axes', id))
        for (const link of plant.list('chain_links', 'axis', id)) result.add(link.id);
      if (plant.row('functions', id))
        for (const part of plant.list('safety_parts', 'function', id)) result.add(part.id);
      if (plant.row('scanners', id))
        for (const table of ['zones', 'situations'] as const)
          for (const row of plant.list(table, 'scanner', id)) result.add(row.id);
      if (plant.row('controllers', id))
        for (const port of plant.list('ports', 'device', id)) result.add(port.id);
    }
    return result;
  }

  function title(id: string): string {
    const module = plant.row('modules', id);
    if (module)
      return [module.designation, plant.type(module.type)?.name].filter(Boolean).join(' · ');
    const port = plant.row('ports', id);
    if (port) return `Port ${port.key}`;
    if (plant.row('connections', id)) return 'Connection';
    if (plant.row('closing_cables', id)) return 'Cable that closes a ring';
    if (plant.row('facts', id)) return 'This plant';
    const zone = plant.row('zones', id);
    if (zone) return `Zone ${zone.letter}`;
    if (plant.row('plan_shapes', id)) return 'What stands there';
    const link = plant.row('chain_links', id);
    if (link) return plant.catalogue.link_kinds[link.kind] ?? link.kind;
    const named =
      plant.row('controllers', id) ??
      plant.row('signals', id) ??
      plant.row('stations', id) ??
      plant.row('exchanges', id) ??
      plant.row('networks', id) ??
      plant.row('rails', id) ??
      plant.type(plant.row('types', id)?.key ?? '') ??
      plant.row('tasks', id) ??
      plant.row('axes', id) ??
      plant.row('robots', id) ??
      plant.row('functions', id) ??
      plant.row('safety_parts', id) ??
      plant.row('scanners', id) ??
      plant.row('situations', id) ??
      plant.row('moves', id);
    return named?.name ?? id;
  }

  function go(finding: Finding) {
    const place = finding.places[0];
    if (!place) return;
    router.go(pathTo(plant, place.id));
    plant.select(place.id);
  }

  /** Findings that say the same of several things, together, the gravest first. */
  function grouped(all: Finding[]): [Finding, ...Finding[]][] {
    const groups = new Map<string, [Finding, ...Finding[]]>();
    for (const finding of [...all].sort((a, b) => RANK[a.severity] - RANK[b.severity])) {
      const group = groups.get(`${finding.code} ${finding.severity}`);
      if (group) group.push(finding);
      else groups.set(`${finding.code} ${finding.severity}`, [finding]);
    }
    return [...groups.values()];
  }

  const groups = $derived(grouped(findings));
  // What one key mends: the first of them that can be mended by an edit.
  const first = $derived(
    groups.slice(0, 12).find((group) => remedies[group[0].key]?.edit)?.[0] ?? null,
  );
  let mending = false;

  async function key(event: KeyboardEvent) {
    if (event.key !== 'm' || event.ctrlKey || event.metaKey || event.altKey || mending) return;
    if ((event.target as HTMLElement).closest('input, select, textarea, [contenteditable]')) return;
    const remedy = first && plant.mayEdit ? remedies[first.key] : null;
    if (!remedy?.edit) return;
    event.preventDefault();
    mending = true;
    // The refusal is shown here.
    await plant.edit(remedy.edit, remedy.label).catch(() => {});
    mending = false;
  }
  const away = $derived(grouped(elsewhere));
  const marks = $derived(counts(plant.findings.values(), stage.key));
  const preview = $derived(plant.preview);
  const quiet = $derived(
    preview && !preview.figures.length && !preview.added.length && !preview.gone.length,
  );
</script>

<svelte:window onkeydown={key} />

{#if folded}
  <aside class="folded">
    <button class="plain" title="Unfold (\)" aria-label="Unfold the consequences" onclick={onfold}
      >‹</button
    >
    {#if marks.error}<span class="count error" title="to mend">{marks.error}</span>{/if}
    {#if marks.warning}<span class="count warning" title="to look at">{marks.warning}</span>{/if}
  </aside>
{:else}
  <aside aria-label="Consequences">
    {#if plant.refusal && plant.previewLabel}
      <h2>Not possible</h2>
      <p class="refused" role="alert">{plant.refusal.detail}</p>
    {:else if plant.refusal}
      <h2>Refused</h2>
      <p class="refused" role="alert">{plant.refusal.detail}</p>
      <button class="plain quiet" onclick={() => plant.endPreview()}>Understood</button>
    {/if}
    {#if preview}
      <section class="pending" aria-live="polite">
        <h2>If: {plant.previewLabel}</h2>
        {#each preview.figures as line (line.place + line.label)}<DeltaRow {line} />{/each}
        {#if preview.more}<p class="quiet">{plural(preview.more, 'more figure')} change</p>{/if}
        {#if preview.moving}
          <p class="moved">
            {plural(preview.moving, 'signal')} would move in the image:
            <span class="mono"
              >{preview.moved.slice(0, 4).join(', ')}{preview.moving > 4 ? ' …' : ''}</span
            >
          </p>
        {/if}
        {#if quiet}<p class="quiet">Nothing else changes by it.</p>{/if}
        {#each grouped(preview.added) as [finding, ...others] (finding.key)}
          <FindingNote {plant} {finding} {others} listed />
        {/each}
        {#each grouped(preview.gone) as [finding, ...others] (finding.key)}
          <FindingNote {plant} {finding} {others} gone listed />
        {/each}
      </section>
    {/if}

    {#if findings.length}
      <h2>{selected.length ? 'Findings here' : `Open in ${stage.name}`}</h2>
      {#each groups.slice(0, 12) as group (group[0].key)}
        <FindingNote
          {plant}
          finding={group[0]}
          others={group.slice(1)}
          remedy={remedies[group[0].key] ?? null}
          key={group[0] === first ? 'M' : ''}
          ongo={selected.length ? null : go}
        />
      {/each}
      {#if groups.length > 12}<p class="quiet">
          {groups.length - 12} more
        </p>{/if}
    {/if}

    {#if elsewhere.length}
      <h2>{findings.length ? 'Elsewhere' : `Open in ${stage.name}`}</h2>
      {#each away.slice(0, 4) as group (group[0].key)}
        <FindingNote
          {plant}
          finding={group[0]}
          others={group.slice(1)}
          remedy={remedies[group[0].key] ?? null}
          ongo={go}
        />
      {/each}
      {#if away.length > 4}<p class="quiet">
          {away.length - 4} more
        </p>{/if}
    {/if}

    {#if selected.length === 1}
      {@const id = selected[0]!}
      <h2>{title(id)}</h2>
      {#key id}
        {@const elsewhere = plant.row('signals', id)
          ? (['wiring'] as const)
          : stage.key === 'networks'
            ? (['data', 'bus'] as const)
            : []}
        <ObjectForm {plant} {id} without={[...elsewhere]} />
        {#if plant.row('stations', id)}
          <Rings {plant} station={id} />
          {@const use = plant
            .part('network.addresses', plant.row('stations', id)?.network ?? '')
            ?.uses.find((u) => u.place === id)}
          {#if use?.dialled}<h3>Dialled on the device</h3>
            <Dials dialled={use.dialled} />{/if}
          {@const connections = plant.list('connections', 'station', id)}
          {#each connections as connection, n (connection.id)}
            {#if connections.length > 1}<h3>
                Connection {n + 1}: {plant
                  .list('exchanges', 'connection', connection.id)
                  .map((x) => x.name)
                  .join(', ')}
              </h3>{/if}
            <ObjectForm {plant} id={connection.id} />
          {/each}
        {/if}
        {#if plant.row('exchanges', id)}
          {@const connection = plant.row('connections', plant.row('exchanges', id)?.connection)}
          {#if connection && plant.part('station.kinds', connection.station)?.kinds.length}
            <h3>Its connection</h3>
            <ObjectForm {plant} id={connection.id} />
          {/if}
        {/if}
        {#if plant.row('controllers', id)}
          {#each plant.list('ports', 'device', id) as port (port.id)}
            <h3>Port {port.key}</h3>
            <ObjectForm {plant} id={port.id} />
          {/each}
          {#each plant.list('tasks', 'controller', id) as task (task.id)}
            <h3>Task {task.name}</h3>
            <ObjectForm {plant} id={task.id} />
          {/each}
          {#each plant.list('rails', 'head', id) as rail (rail.id)}
            <h3>Rail</h3>
            <ObjectForm {plant} id={rail.id} only={(path) => path !== 'name'} />
          {/each}
        {/if}
        {#if ['modules', 'controllers', 'stations', 'networks'].some( (t) => plant.row(t as 'modules', id) )}
          <MoreOfIt {plant} {id} />
        {/if}
        {#if plant.row('signals', id)}
          <Links {plant} signal={id} />
          <Converter {plant} signal={id} />
          <details>
            <summary>Wiring, as lists say</summary>
            <ObjectForm {plant} {id} only={(path) => path.startsWith('wiring.')} />
          </details>
        {/if}
      {/key}
    {:else if selected.length > 1}
      <h2>{selected.length} selected</h2>
    {:else if !plant.assessed}
      <h2>{stage.name}</h2>
      <p class="quiet">Working out what follows …</p>
    {:else if !findings.length && !preview}
      <h2>{stage.name}</h2>
      <p class="quiet">
        Nothing is wrong here. Select something to see what it is and what could be set.
      </p>
    {/if}
    <button class="plain fold quiet" onclick={onfold}>Fold <kbd>\</kbd></button>
  </aside>
{/if}

<style>
  aside {
    border-left: 1px solid var(--rule-2);
    background: var(--leaf);
    padding: var(--s5);
    overflow: auto;
  }
  aside.folded {
    display: flex;
    flex-direction: column;
    padding: var(--s3) var(--s1);
    align-items: center;
    gap: var(--s4);
  }
  h2 {
    margin: var(--s4) 0 var(--s2);
  }
  h2:first-child {
    margin-top: 0;
  }
  section h2:first-child {
    margin-top: 0;
  }
  h3 {
    margin: var(--s5) 0 var(--s1);
    border-top: 1px solid var(--rule);
    padding-top: var(--s4);
  }
  .pending {
    border: 1px dashed var(--heather);
    padding: var(--s4) var(--s4);
    margin: 0 calc(-1 * var(--s3)) var(--s4);
  }
  .refused {
    color: var(--bracken);
    border-left: 3px solid var(--bracken);
    padding-left: var(--s4);
    margin-bottom: var(--s4);
  }
  .moved {
    font-size: var(--f-note);
    color: var(--gorse);
    margin-top: var(--s2);
    overflow-wrap: anywhere;
  }
  .count {
    font: 600 var(--f-note) var(--mono);
  }
  .error {
    color: var(--bracken);
  }
  .warning {
    color: var(--gorse);
  }
  @media (max-width: 800px) {
    aside {
      border-left: 0;
      border-top: 1px solid var(--rule-2);
    }
  }
  .fold {
    display: block;
    margin: var(--s5) 0 0 auto;
  }
</style>
