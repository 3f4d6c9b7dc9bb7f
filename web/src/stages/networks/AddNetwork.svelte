<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Problem } from '../../api/client';
  import { medium, portLabel, portsOf } from '../../plant/ports';
  import type { PlantStore } from '../../plant/store.svelte';

  /** A network: its fieldbus, and the port of a controller or of a module it is on. */
  let {
    plant,
    onmade,
    oncancel,
  }: { plant: PlantStore; onmade: (network: string) => void; oncancel: () => void } = $props();

  const buses = $derived(plant.catalogue.fieldbuses);
  const ports = $derived(plant.list('controllers').flatMap((c) => portsOf(plant, c.id)));
  const taken = $derived(new Set(plant.list('networks').map((n) => n.port)));
  // To begin with, what a port without a network would carry, one with an address before others.
  const free = untrack(() => {
    const left = ports.filter((p) => !taken.has(p.id));
    return left.find((p) => p.address) ?? left[0] ?? ports[0];
  });
  let kind = $state(
    untrack(
      () => buses.find((b) => free && b.medium === medium(plant, free))?.key ?? buses[0]?.key ?? '',
    ),
  );
  let chosen = $state(untrack(() => free?.id ?? ''));
  let name = $state('');
  let problem = $state<Problem | null>(null);

  const bus = $derived(buses.find((b) => b.key === kind));
  const fitting = $derived(ports.filter((p) => medium(plant, p) === bus?.medium));
  const port = $derived(
    fitting.find((p) => p.id === chosen) ?? fitting.find((p) => !taken.has(p.id)) ?? fitting[0],
  );
  const carries = (id: string) =>
    plant
      .list('networks', 'port', id)
      .map((n) => n.name)
      .join(', ');

  async function make() {
    if (!bus) return;
    try {
      const answer = await plant.edit(
        {
          kind: 'add-network',
          fieldbus: bus.key,
          port: port?.id ?? null,
          name: name || null,
          tag: '$network',
        },
        `Add network ${name || bus.name}`,
      );
      const made = answer?.tags['$network'];
      if (made) onmade(made);
    } catch (error) {
      problem = error instanceof Problem ? error : null;
    }
  }
</script>

<InlineForm make="Add it" problem={problem?.detail} onmake={make} {oncancel}>
  <label
    >Fieldbus
    <select bind:value={kind} use:focused>
      {#each buses as item (item.key)}<option value={item.key}>{item.name}</option>{/each}
    </select></label
  >
  <label
    >On port
    <select value={port?.id ?? ''} onchange={(event) => (chosen = event.currentTarget.value)}>
      {#each fitting as item (item.id)}
        <option value={item.id}
          >{portLabel(plant, item)}{item.address ? `  ${item.address}` : ''}{carries(item.id)
            ? `, carries ${carries(item.id)}`
            : ''}</option
        >
      {:else}<option value="">no controller has such a port yet</option>{/each}
    </select></label
  >
  <label>Name<input bind:value={name} placeholder={bus?.name} /></label>
</InlineForm>
