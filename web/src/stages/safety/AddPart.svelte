<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Making } from '../../kit/making.svelte';
  import { safePairs } from './pairs';
  import type { SafetyWork } from './safetyWork.svelte';

  /** A sensor or an actuator more: its kind, where it is wired, what of the plant it is. */
  let {
    work,
    role,
    onmade,
    oncancel,
  }: {
    work: SafetyWork;
    role: 'sensor' | 'actuator';
    onmade: (part: string) => void;
    oncancel: () => void;
  } = $props();

  const plant = untrack(() => work.plant);
  const own = untrack(() => work.current);
  let block = $state(untrack(() => (role === 'sensor' ? 'emergency-stop' : 'sto')));
  const blocks = $derived(
    Object.entries(
      role === 'sensor' ? plant.catalogue.sensor_blocks : plant.catalogue.actuator_blocks,
    ),
  );
  const taken = $derived(new Set(plant.list('safety_parts').map((p) => `${p.place} ${p.key}`)));
  const pairs = $derived(
    safePairs(plant).filter((pair) => pair.told.inward === (role === 'sensor')),
  );
  const free = $derived(pairs.find((pair) => !taken.has(`${pair.module} ${pair.told.key}`)));
  const devices = $derived([
    ...(role === 'sensor' && block === 'espe' && own
      ? plant
          .list('scanners', 'controller', own.controller)
          .map((s) => ({ id: s.id, name: `scanner ${s.name}` }))
      : []),
    ...(role === 'actuator' && own
      ? plant
          .list('axes', 'controller', own.controller)
          .map((a) => ({ id: a.id, name: `axis ${a.name}` }))
      : []),
    ...plant
      .list('stations')
      .filter((s) => !s.partner)
      .map((s) => ({
        id: s.id,
        name: `${s.name} · ${plant.row('networks', s.network)?.name ?? ''}`,
      })),
  ]);

  /** Where somebody put it; until then the first pair that is free. */
  let put = $state<string | null>(null);
  const wired = $derived(put ?? (free ? `${free.module} ${free.told.key}` : ''));
  let device = $state('');
  let name = $state('');
  const making = untrack(
    () =>
      new Making(plant, () => {
        const [place = '', key = ''] = wired.split(' ');
        return {
          kind: 'add-safety-part',
          function: own?.id ?? '',
          role,
          block,
          name: name || null,
          place: place || null,
          key,
          device: device || null,
          tag: '$part',
        };
      }),
  );
  const label = () => `Add ${name || plant.catalogue[`${role}_blocks`][block] || role}`;

  async function make() {
    const made = (await making.make(label()))?.tags['$part'];
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
    >Kind
    <select bind:value={block} use:focused>
      {#each blocks as [key, words] (key)}<option value={key}>{words}</option>{/each}
    </select></label
  >
  <label
    >Wired to
    <select value={wired} onchange={(event) => (put = event.currentTarget.value)}>
      <option value="">nothing yet</option>
      {#each pairs as pair (`${pair.module} ${pair.told.key}`)}
        <option value="{pair.module} {pair.told.key}"
          >{pair.name}, {pair.told.called}{taken.has(`${pair.module} ${pair.told.key}`)
            ? ` · ${pair.told.parts[0]?.name ?? 'in use'}`
            : ''}</option
        >
      {/each}
    </select></label
  >
  <label
    >Is
    <select bind:value={device}>
      <option value="">nothing else of the plant</option>
      {#each devices as item (item.id)}<option value={item.id}>{item.name}</option>{/each}
    </select></label
  >
  <label>Name<input bind:value={name} placeholder="by its kind" /></label>
</InlineForm>
