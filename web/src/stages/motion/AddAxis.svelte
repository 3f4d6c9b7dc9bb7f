<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Making } from '../../kit/making.svelte';
  import { modulesBehind } from '../../plant/rails';
  import type { PlantStore } from '../../plant/store.svelte';
  import { freeDrives } from './drives';

  /** A new axis: what kind, of which controller, and which drive turns its motor. */
  let {
    plant,
    onmade,
    oncancel,
  }: { plant: PlantStore; onmade: (axis: string) => void; oncancel: () => void } = $props();

  type Kind = 'linear' | 'rotary' | 'endless' | 'speed';
  let kind = $state<Kind>('linear');
  let controller = $state(untrack(() => plant.list('controllers')[0]?.id ?? ''));
  let drive = $state('');
  let name = $state('');

  const drives = $derived(freeDrives(plant, controller));
  const outputs = $derived(
    modulesBehind(plant, controller).filter((module) =>
      plant.type(module.type)?.channels.some((group) => group.pulses),
    ),
  );
  const making = untrack(
    () =>
      new Making(plant, () => ({
        kind: 'add-axis',
        controller,
        axis: kind,
        name: name || null,
        drive: drive || null,
        tag: '$axis',
      })),
  );
  const label = () => `Add axis ${name || plant.row('stations', drive)?.name || ''}`.trim();

  async function make() {
    const made = (await making.make(label()))?.tags['$axis'];
    if (made) onmade(made);
  }
</script>

<InlineForm
  make="Add it"
  problem={making.problem?.detail}
  onmake={make}
  onchange={() => making.changed(label())}
  oncancel={() => making.leave(oncancel)}
>
  <label
    >Axis
    <select bind:value={kind} use:focused>
      {#each Object.entries(plant.catalogue.axis_kinds) as [value, words] (value)}<option {value}
          >{words}</option
        >{/each}
    </select></label
  >
  {#if plant.list('controllers').length > 1}
    <label
      >Of
      <select bind:value={controller}>
        {#each plant.list('controllers') as item (item.id)}
          <option value={item.id}>{item.name}</option>
        {/each}
      </select></label
    >
  {/if}
  <label
    >Drive
    <select bind:value={drive}>
      <option value="">none yet</option>
      {#each drives as item (item.id)}
        <option value={item.id}
          >{item.name} · {plant.row('networks', item.network)?.name ?? ''}</option
        >
      {/each}
      {#each outputs as item (item.id)}
        <option value={item.id}
          >{item.designation || plant.type(item.type)?.name} · pulses for a stepping motor</option
        >
      {/each}
    </select></label
  >
  <label
    >Name<input
      bind:value={name}
      placeholder={plant.row('stations', drive)?.name.replaceAll(' ', '_') ?? 'Axis1'}
    /></label
  >
</InlineForm>
