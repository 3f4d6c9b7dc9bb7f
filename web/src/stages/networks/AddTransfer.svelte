<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import type { Edit } from '../../api/client';
  import { Making } from '../../kit/making.svelte';
  import { controllerOf, medium, portsOf } from '../../plant/ports';
  import type { PlantStore } from '../../plant/store.svelte';

  /** A block of registers from one controller to another over Modbus TCP: who tells, who hears, who asks. */
  let { plant, onmade, oncancel }: { plant: PlantStore; onmade: () => void; oncancel: () => void } =
    $props();

  const controllers = $derived(plant.list('controllers'));
  let from = $state(untrack(() => controllers[1]?.id ?? ''));
  let to = $state(untrack(() => controllers[0]?.id ?? ''));
  let asked = $state<'to' | 'from'>('to');
  let reference = $state('40101');
  let count = $state('4');
  let period = $state('200');

  const name = (id: string) => plant.row('controllers', id)?.name ?? '';
  const asks = $derived(asked === 'to' ? to : from);
  const partner = $derived(asked === 'to' ? from : to);

  /** The asker's network and its station for the partner, made where they are not there yet. */
  function edit(): Edit {
    const network = plant
      .list('networks')
      .find(
        (n) =>
          n.kind === 'modbus-tcp' &&
          controllerOf(plant, plant.row('ports', n.port))?.id === asks &&
          (plant.list('stations', 'network', n.id).some((s) => s.partner) ||
            !plant.list('stations', 'network', n.id).length),
      );
    const station = plant
      .list('stations', 'network', network?.id ?? '-')
      .find((s) => s.partner === partner);
    const connection = station && plant.list('connections', 'station', station.id)[0];
    const port = portsOf(plant, asks).find((p) => medium(plant, p) === 'ethernet');
    const steps: Edit[] = [];
    if (!network)
      steps.push({
        kind: 'add-network',
        fieldbus: 'modbus-tcp',
        port: port?.id ?? null,
        name: `From ${name(asks)}`,
        tag: '$n',
      });
    if (!connection)
      steps.push({
        kind: 'add-station',
        network: network?.id ?? '$n',
        partner,
        connection_tag: '$k',
      });
    const reads = asked === 'to';
    steps.push({
      kind: 'add-exchange',
      connection: connection?.id ?? '$k',
      name: reads ? `From ${name(partner)}` : `To ${name(partner)}`,
      settings: { function: reads ? 3 : 16, address: reference, count, period_ms: period },
    });
    return { kind: 'batch', edits: steps } as Edit;
  }

  const making = new Making(
    untrack(() => plant),
    edit,
  );

  function changed() {
    if (from !== to) making.changed('Add this transfer');
  }

  async function make() {
    if (await making.make(`Add a transfer ${name(from)} → ${name(to)}`)) onmade();
  }
</script>

<InlineForm
  make="Add it"
  problem={from === to ? 'A controller tells itself nothing.' : making.problem?.detail}
  onmake={make}
  onchange={changed}
  oncancel={() => making.leave(oncancel)}
>
  <label
    >From
    <select bind:value={from} use:focused>
      {#each controllers as c (c.id)}<option value={c.id}>{c.name}</option>{/each}
    </select></label
  >
  <label
    >To
    <select bind:value={to}>
      {#each controllers as c (c.id)}<option value={c.id}>{c.name}</option>{/each}
    </select></label
  >
  <label
    >Asked by
    <select bind:value={asked}>
      <option value="to">{name(to)}, which reads</option>
      <option value="from">{name(from)}, which writes</option>
    </select></label
  >
  <label>From reference <input class="mono" bind:value={reference} /></label>
  <label>Registers <input class="mono" bind:value={count} /></label>
  <label
    >Every <span class="entry"
      ><input class="mono" bind:value={period} aria-label="Every" />
      <span class="unit">ms</span></span
    ></label
  >
</InlineForm>

<style>
  input {
    width: 70px;
    text-align: right;
  }
</style>
