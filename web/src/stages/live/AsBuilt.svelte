<script lang="ts">
  import { got, http, Problem, type Edit } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import ObjectForm from '../../kit/ObjectForm.svelte';
  import { modulesBehind } from '../../plant/rails';
  import type { PlantStore } from '../../plant/store.svelte';

  /** What really stands at a station, to be changed as hands would: cable, power, switches, modules. */
  let { plant, station }: { plant: PlantStore; station: string } = $props();

  const name = $derived(plant.row('stations', station)?.name ?? '');
  const device = $derived(plant.list('built_devices').find((d) => d.station === station));
  type Plugged = { id: string; label: string; there: boolean };
  const modules = $derived.by((): Plugged[] => {
    const label = (type: string, of: string) =>
      [plant.row('modules', of)?.designation, plant.type(type)?.name ?? type]
        .filter(Boolean)
        .join(' ');
    if (device?.rail === 'own')
      return plant
        .list('built_modules', 'device', device.id)
        .map((m) => ({ id: m.id, label: label(m.type, m.module ?? ''), there: m.there ?? true }));
    return modulesBehind(plant, station).map((m) => ({
      id: m.id,
      label: label(m.type, m.id),
      there: true,
    }));
  });

  // What can be done to it over its network; asked at the address at which it is expected.
  const live = $derived(plant.bench.state?.stations?.find((s) => s.id === station));
  const network = $derived(plant.row('stations', station)?.network ?? '');
  const deed = $derived(
    plant.bench.state?.deeds?.filter((d) => d.network === network && d.at === live?.address).at(-1),
  );
  const kind = $derived(plant.type(plant.row('stations', station)?.type ?? '')?.kind);
  const acts = $derived(
    kind === 'device' && !plant.row('stations', station)?.partner
      ? (
          plant.catalogue.fieldbuses.find((b) => b.key === plant.row('networks', network)?.kind)
            ?.acts ?? []
        ).filter((one) => !one.all)
      : [],
  );
  let typed = $state('');
  let problem = $state('');

  async function overNetwork(key: string, value: string) {
    problem = '';
    const params = { path: { key: plant.key, network } };
    const body = { at: live?.address ?? '', act: key, value };
    try {
      got(await http.POST('/api/plants/{key}/networks/{network}/act', { params, body }));
      typed = '';
      await plant.bench.refresh();
    } catch (error) {
      problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }

  const act = (edit: Edit, label: string) =>
    plant.mayEdit && void plant.edit(edit, label).catch(() => {});
</script>

<section class="built" aria-label="{name} as built">
  <div class="fields"><ObjectForm {plant} id={station} built /></div>
  {#if modules.length}
    <ol>
      {#each modules as module, n (module.id)}
        <li class:out={!module.there}>
          <span>{module.label}</span>
          <button
            class="small"
            disabled={!plant.mayEdit}
            onclick={() =>
              act(
                { kind: 'set-built', ids: [module.id], values: { there: !module.there } },
                module.there ? `Take out ${module.label}` : `Put back ${module.label}`,
              )}>{module.there ? 'Take out' : 'Put back'}</button
          >
          {#if n + 1 < modules.length}<button
              class="small"
              disabled={!plant.mayEdit}
              title="Swap with the module behind it"
              onclick={() =>
                act(
                  { kind: 'swap-built-modules', first: module.id, second: modules[n + 1]!.id },
                  `Swap ${module.label} and ${modules[n + 1]!.label}`,
                )}>Swap ▸</button
            >{/if}
        </li>
      {/each}
    </ol>
  {/if}
  {#if live?.mac}
    <p class="quiet">
      On its label: MAC <span class="mono">{live.mac}</span>, serial number
      <span class="mono">{live.serial}</span>
    </p>
  {/if}
  {#if live && acts.length && plant.mayEdit}
    <div class="row acts">
      <span class="quiet">Over the network:</span>
      {#each acts as one (one.key)}
        {#if one.asks}
          <form
            class="row"
            onsubmit={(event) => {
              event.preventDefault();
              void overNetwork(one.key, typed);
            }}
          >
            <input bind:value={typed} placeholder="address" aria-label={one.label} required />
            <button class="small" title="To undo it: {one.back}">{one.label}</button>
          </form>
        {:else}
          <button
            class="small"
            title="To undo it: {one.back}"
            onclick={() => overNetwork(one.key, '')}>{one.label}</button
          >
        {/if}
      {/each}
    </div>
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    {#if deed}<p class="quiet">
        <Mark state={deed.good === null ? 'pending' : deed.good ? 'good' : 'error'} />
        {deed.text}
      </p>{/if}
  {/if}
  {#if device && plant.mayEdit}
    <button
      class="small"
      onclick={() =>
        act(
          { kind: 'as-configured', ids: [station], what: 'all' },
          `${name} back to as configured`,
        )}>All as configured</button
    >
  {/if}
</section>

<style>
  .built {
    border-top: 1px dashed var(--rule-2);
    margin: var(--s2) 0 var(--s3);
    padding-top: var(--s2);
  }
  .fields {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(250px, 1fr));
    gap: 0 var(--s6);
  }
  ol {
    margin: var(--s2) 0;
    padding-left: var(--s7);
  }
  li > span {
    display: inline-block;
    min-width: 110px;
  }
  .out > span {
    text-decoration: line-through;
    color: var(--ink-3);
  }
  .acts {
    flex-wrap: wrap;
    gap: var(--s2) var(--s4);
    margin: var(--s2) 0;
  }
  .acts input {
    width: 120px;
    height: 24px;
  }
  .small {
    height: 24px;
    padding: 0 var(--s3);
    font-size: var(--f-note);
  }
</style>
