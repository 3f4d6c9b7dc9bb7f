<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Making } from '../../kit/making.svelte';
  import type { PlantStore } from '../../plant/store.svelte';
  import { freeDrives } from './drives';

  /** A new robot: of which type, and which axes or drives are its arms and its wrist. */
  let {
    plant,
    onmade,
    oncancel,
  }: { plant: PlantStore; onmade: (robot: string) => void; oncancel: () => void } = $props();

  type Place = 'arm1' | 'arm2' | 'arm3' | 'wrist';
  const ARMS: [Place, string][] = [
    ['arm1', 'Arm 1'],
    ['arm2', 'Arm 2'],
    ['arm3', 'Arm 3'],
  ];
  let type = $state(untrack(() => plant.catalogue.robot_types[0]?.key ?? ''));
  let controller = $state(untrack(() => plant.list('controllers')[0]?.id ?? ''));
  let name = $state('');
  let joints = $state<Record<Place, string>>({ arm1: '', arm2: '', arm3: '', wrist: '' });

  // One that is entered by its data sheet may have a wrist; which is asked of whoever has one.
  const wrist = $derived(
    plant.catalogue.robot_types.find((one) => one.key === type)?.wrist !== false,
  );
  const places = $derived<[Place, string][]>(wrist ? [...ARMS, ['wrist', 'Wrist']] : ARMS);
  const axes = $derived(
    plant
      .list('axes', 'controller', controller)
      .filter((axis) => !axis.robot && (axis.kind === 'rotary' || axis.kind === 'endless')),
  );
  const drives = $derived(freeDrives(plant, controller));
  const making = untrack(
    () =>
      new Making(plant, () => ({
        kind: 'add-robot',
        controller,
        robot: type,
        name: name || null,
        joints: Object.fromEntries(places.flatMap(([p]) => (joints[p] ? [[p, joints[p]]] : []))),
        tag: '$robot',
      })),
  );
  const label = () => `Add robot ${name}`.trim();

  async function make() {
    const made = (await making.make(label()))?.tags['$robot'];
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
    >Type
    <select bind:value={type} use:focused>
      {#each plant.catalogue.robot_types as one (one.key)}
        <option value={one.key}>{one.label}</option>
      {/each}
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
  {#each places as [place, words] (place)}
    <label
      >{words}
      <select bind:value={joints[place]}>
        <option value="">none yet</option>
        {#each axes as item (item.id)}<option value={item.id}>{item.name} · axis</option>{/each}
        {#each drives as item (item.id)}
          <option value={item.id}
            >{item.name} · drive on {plant.row('networks', item.network)?.name ?? ''}</option
          >
        {/each}
      </select></label
    >
  {/each}
  <label>Name<input bind:value={name} placeholder="Robot1" /></label>
</InlineForm>
