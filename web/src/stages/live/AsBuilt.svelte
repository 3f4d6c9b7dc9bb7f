<script lang="ts">
  import type { Edit } from '../../api/client';
  import ObjectForm from '../../kit/ObjectForm.svelte';
  import { isPorts, modulesBehind } from '../../plant/rails';
  import type { PlantStore } from '../../plant/store.svelte';
  import BuiltPorts from './BuiltPorts.svelte';
  import OverNetwork from './OverNetwork.svelte';

  /** What really stands at a station, to be changed as hands would: cable, power, switches, modules. */
  let { plant, station }: { plant: PlantStore; station: string } = $props();

  const name = $derived(plant.row('stations', station)?.name ?? '');
  const device = $derived(plant.list('built_devices').find((d) => d.station === station));
  type Plugged = { id: string; type: string; label: string; there: boolean };
  const modules = $derived.by((): Plugged[] => {
    const label = (type: string, of: string) =>
      [plant.row('modules', of)?.designation, plant.type(type)?.name ?? type]
        .filter(Boolean)
        .join(' ');
    if (device?.rail === 'own')
      return plant
        .list('built_modules', 'device', device.id)
        .filter((m) => !isPorts(plant.row('rails', plant.row('modules', m.module)?.rail)))
        .map((m) => ({
          id: m.id,
          type: m.type,
          label: label(m.type, m.module ?? ''),
          there: m.there ?? true,
        }));
    return modulesBehind(plant, station).map((m) => ({
      id: m.id,
      type: m.type,
      label: label(m.type, m.id),
      there: true,
    }));
  });

  const live = $derived(plant.bench.state?.stations?.find((s) => s.id === station));
  const network = $derived(plant.row('stations', station)?.network ?? '');
  const fieldbus = $derived(
    plant.catalogue.fieldbuses.find((b) => b.key === plant.row('networks', network)?.kind),
  );
  const kind = $derived(plant.type(plant.row('stations', station)?.type ?? '')?.kind);
  const reached = $derived(
    kind === 'device' && !plant.row('stations', station)?.partner && live
      ? ((fieldbus?.by_name ? live.mac : live.address) ?? '')
      : '',
  );

  /** Those that the same file lists: any of them may stand there. */
  const others = (type: string) => {
    const head = type.slice(0, type.lastIndexOf('/'));
    return head ? plant.catalogue.types.filter((one) => one.head === head) : [];
  };

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
          {#if others(module.type).length > 1}<select
              class="small"
              aria-label="The module that is there instead of {module.label}"
              disabled={!plant.mayEdit}
              value={module.type}
              onchange={(event) =>
                act(
                  {
                    kind: 'set-built',
                    ids: [module.id],
                    values: { type: event.currentTarget.value },
                  },
                  `Another module instead of ${module.label}`,
                )}
            >
              {#each others(module.type) as one (one.key)}<option value={one.key}>{one.name}</option
                >{/each}
            </select>{/if}
        </li>
      {/each}
    </ol>
  {/if}
  <BuiltPorts {plant} {station} />
  {#if live?.mac}
    <p class="quiet">
      On its label: MAC <span class="mono">{live.mac}</span>, serial number
      <span class="mono">{live.serial}</span>
    </p>
  {/if}
  {#if reached}<p class="quiet">Over the network:</p>
    <OverNetwork {plant} {network} at={reached} />
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
  .small {
    height: 24px;
    padding: 0 var(--s3);
    font-size: var(--f-note);
  }
</style>
