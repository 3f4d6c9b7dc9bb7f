<script lang="ts">
  import { focused } from './focus';
  import { plural } from './numbers';
  import { controllerOf, portsOf } from '../plant/ports';
  import { railsBehind } from '../plant/rails';
  import type { DeviceType } from '../api/client';
  import type { PlantStore } from '../plant/store.svelte';

  /** A place to link to: a channel of a module, a piece of an exchange, a status bit. */
  let {
    plant,
    controller,
    place = $bindable(),
    key = $bindable(),
    focus = false,
    onenter,
  }: {
    plant: PlantStore;
    controller: string;
    place: string;
    key: string;
    focus?: boolean;
    onenter?: () => void;
  } = $props();

  const stations = $derived(
    portsOf(plant, controller)
      .flatMap((port) => plant.list('networks', 'port', port.id))
      .flatMap((network) => plant.list('stations', 'network', network.id)),
  );

  /** The modules behind a controller, or behind a station of the network it asks, that have channels. */
  const modulesOf = (head: string, of: string) =>
    railsBehind(plant, head).flatMap((rail) =>
      plant.list('modules', 'rail', rail.id).flatMap((module) => {
        const type = plant.type(module.type);
        const channels = type && carried(type);
        if (!channels) return [];
        const slot = plant.part('rail.mounting', rail.id)?.slots[module.id];
        const name = module.designation || `slot ${slot ?? '?'}`;
        return [{ id: module.id, label: `${of}${name}  ${type.name}, ${channels}` }];
      }),
    );

  /** What of a module can be linked, in words. */
  const carried = (type: DeviceType) =>
    type.channels.map((c) => `${c.count} ${c.kind}`).join(', ') ||
    [
      type.in_octets && `${plural(type.in_octets, 'octet')} in`,
      type.out_octets && `${plural(type.out_octets, 'octet')} out`,
    ]
      .filter(Boolean)
      .join(', ');

  const holders = $derived([
    ...modulesOf(controller, ''),
    ...stations.flatMap((station) => modulesOf(station.id, `${station.name}: `)),
    ...stations.flatMap((station) =>
      plant.list('connections', 'station', station.id).flatMap((connection) =>
        plant.list('exchanges', 'connection', connection.id).map((exchange) => ({
          id: exchange.id,
          label: `${station.name}: ${exchange.name}`,
        })),
      ),
    ),
    // What other controllers read here and write here.
    ...plant
      .list('stations')
      .filter((station) => station.partner === controller)
      .flatMap((station) =>
        plant.list('connections', 'station', station.id).flatMap((connection) =>
          plant.list('exchanges', 'connection', connection.id).map((exchange) => ({
            id: exchange.id,
            label: `asked by ${asker(station.network)}: ${exchange.name}`,
          })),
        ),
      ),
  ]);
  const asker = (network: string) =>
    controllerOf(plant, plant.row('ports', plant.row('networks', network)?.port))?.name ?? '?';
  // The end of an exchange that lies in this controller.
  const far = $derived(
    plant.row(
      'stations',
      plant.row('connections', plant.row('exchanges', place)?.connection)?.station,
    )?.partner === controller,
  );
  const channels = $derived(
    plant.row('modules', place) ? plant.part('module.channels', place)?.channels : undefined,
  );
  const octets = $derived(
    plant.row('exchanges', place)
      ? plant.part(far ? 'exchange.far-octets' : 'exchange.octets', place)
      : undefined,
  );
  const back = $derived(
    plant.row('exchanges', place) && !far ? plant.part('exchange.back-octets', place) : undefined,
  );
  const keys = $derived(
    channels
      ? channels.map((c) => ({
          key: c.key,
          label: `${c.label || c.number}  ${c.signals[0]?.name ?? 'free'}`,
          free: !c.signals.length,
        }))
      : octets
        ? [
            ...octets.pieces.map((p) => ({
              key: p.key,
              label: `${p.label}  ${p.signals[0]?.name ?? 'free'}`,
              free: !p.signals.length,
            })),
            ...(back?.pieces ?? []).map((p) => ({
              key: p.key,
              label: `${p.label} written  ${p.signals[0]?.name ?? 'free'}`,
              free: !p.signals.length,
            })),
            ...octets.beside.map((one) => ({
              key: one.key,
              label: `${one.label}, ${one.help}  ${one.signals[0]?.name ?? 'free'}`,
              free: !one.signals.length,
            })),
          ]
        : [],
  );

  // A fresh place begins at its first free channel.
  $effect(() => {
    if (keys.length && !key) key = keys.find((k) => k.free)?.key ?? keys[0]!.key;
  });

  function entered(event: KeyboardEvent) {
    if (event.key !== 'Enter' || !onenter) return;
    event.preventDefault();
    onenter();
  }

  const focusedIf = (node: HTMLSelectElement, wanted: boolean) => {
    if (wanted) focused(node);
  };
</script>

<label>
  Linked to
  <select use:focusedIf={focus} bind:value={place} onchange={() => (key = '')} onkeydown={entered}>
    <option value="">nothing yet</option>
    {#each holders as holder (holder.id)}<option value={holder.id}>{holder.label}</option>{/each}
  </select>
</label>
{#if place}
  <label>
    at
    <input
      class="mono"
      list="keys-{place}"
      bind:value={key}
      onkeydown={entered}
      title="A channel, a register, a word or an octet by number (ch0, r4, w4, byte 4), a bit behind a point (w4.3), a field by its name, or status"
    />
    <datalist id="keys-{place}">
      {#each keys as item (item.key)}<option value={item.key}>{item.label}</option>{/each}
    </datalist>
  </label>
{/if}

<style>
  label {
    display: grid;
    gap: var(--s1);
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  select,
  input {
    color: var(--ink);
    font-size: var(--f-body);
  }
  select {
    max-width: 220px;
  }
  input {
    width: 104px;
  }
</style>
