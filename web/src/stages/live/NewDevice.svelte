<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Making } from '../../kit/making.svelte';
  import { modulesFor } from '../../plant/rails';
  import type { PlantStore } from '../../plant/store.svelte';

  /** A device on a network's medium that nobody has configured. */
  let { plant, network, onover }: { plant: PlantStore; network: string; onover: () => void } =
    $props();

  let address = $state('');
  let type = $state('');
  const kind = $derived(plant.row('networks', network)?.kind);
  // Whoever is found by name gets both, name and address, over the network.
  const named = $derived(
    plant.catalogue.fieldbuses.find((one) => one.key === kind)?.by_name ?? false,
  );
  const types = $derived(
    (plant.catalogue?.types ?? []).filter((t) => t.fieldbus === kind && t.kind === 'device'),
  );
  const offered = $derived(
    plant.type(type)?.rail ? modulesFor(plant, type).filter((t) => t.kind !== 'cover') : [],
  );
  let modules = $state<string[]>([]);
  const making = new Making(
    untrack(() => plant),
    () => ({
      kind: 'add-built-device' as const,
      network,
      address,
      type,
      name: '',
      modules: offered.length ? modules : [],
    }),
  );

  async function make() {
    if (await making.make('Add a device that the plant does not know')) onover();
  }
</script>

<InlineForm
  make="Add it"
  problem={making.problem?.detail}
  onmake={make}
  oncancel={() => making.leave(onover)}
>
  {#if !named}<label>Address <input class="mono" bind:value={address} use:focused /></label>{/if}
  <label
    >Type
    <select bind:value={type}>
      <option value="">not known</option>
      {#each types as t (t.key)}<option value={t.key}>{t.name}</option>{/each}
    </select></label
  >
  {#if offered.length}
    <label
      >Modules behind it
      <select
        bind:value={
          () => '',
          (key) => {
            if (key) modules = [...modules, key];
          }
        }
      >
        <option value="">add one …</option>
        {#each offered as t (t.key)}<option value={t.key}>{t.name}</option>{/each}
      </select></label
    >
    {#if modules.length}
      <span
        >{modules.map((key) => plant.type(key)?.name ?? key).join(', ')}
        <button type="button" class="plain" onclick={() => (modules = modules.slice(0, -1))}
          >Take the last away</button
        ></span
      >
    {/if}
  {/if}
  <span class="quiet">It stands there on the bench; the plant is not told.</span>
</InlineForm>
