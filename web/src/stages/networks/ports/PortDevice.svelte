<script lang="ts">
  import type { DeviceType, PartResult } from '../../../api/client';
  import LiveValue from '../../../kit/LiveValue.svelte';
  import NameAll from '../../../kit/NameAll.svelte';
  import NameIt from '../../../kit/NameIt.svelte';
  import { shown } from '../../../kit/numbers';
  import type { PlantStore } from '../../../plant/store.svelte';
  import { router } from '../../../shell/router.svelte';
  import ByBits from './ByBits.svelte';
  import FieldMap from './FieldMap.svelte';
  import Plug from './Plug.svelte';
  import PortParameters from './PortParameters.svelte';
  import { bitsOf, type PortField } from './fields';

  /** What hangs on a port: its plug as its file tells the wires, its data bit by bit, each field with its signal. */
  let {
    plant,
    port,
    controller,
    kinds,
    onunplug,
  }: {
    plant: PlantStore;
    port: PartResult<'rail.master'>['ports'][number];
    controller: string | undefined;
    /** Whatever can hang on a port. */
    kinds: DeviceType[];
    onunplug: () => void;
  } = $props();

  const told = $derived(plant.part('module.port', port.module));
  const channels = $derived(plant.part('module.channels', port.module)?.channels ?? []);
  const row = $derived(plant.row('modules', port.module));
  const called = $derived(row?.designation || plant.type(row?.type ?? '')?.name || port.label);
  const byKey = $derived(new Map(channels.map((channel) => [channel.key, channel])));
  const fields = $derived(told?.fields ?? []);
  // What stands beside the data, and what somebody reads by its bits although no file names it.
  const others = $derived(
    channels.filter((channel) => !fields.some((field) => field.key === channel.key)),
  );
  const drawn = $derived([
    ...fields,
    ...others.flatMap((channel) => {
      const there = bitsOf(channel.key);
      return there ? [{ ...there, label: channel.signals[0]?.name ?? channel.label }] : [];
    }),
  ]);
  const free = $derived(
    [...fields.filter((field) => field.type), ...others].some(
      ({ key }) => !byKey.get(key)?.signals.length,
    ),
  );
  const bits = (bit: number, count: number) =>
    count === 1 ? `${bit}` : `${bit}–${bit + count - 1}`;
  const lies = (way: typeof port.inward, what: string) =>
    way.octets === 0
      ? ''
      : way.first == null
        ? `${what} nowhere yet`
        : `${what} octet${way.octets > 1 ? 's' : ''} ${way.octets > 1 ? `${way.first}–${way.first + way.octets - 1}` : way.first} of ${way.carrier_name}`;

  async function replace(type: string) {
    const label = `${plant.type(type)?.name ?? type} instead of ${called}`;
    await plant.edit({ kind: 'replace-module', id: port.module, type }, label).catch(() => {});
  }

  $effect(() => {
    if (plant.bench.running)
      plant.bench.follow(channels.flatMap((c) => c.signals.map((s) => s.signal)));
  });
</script>

{#snippet named(signal: { signal: string; name: string })}
  <a
    href="/p/{plant.key}/signals/{signal.signal}"
    onclick={(e) => {
      e.preventDefault();
      router.go(`/p/${plant.key}/signals/${signal.signal}`);
    }}>{signal.name}</a
  >
{/snippet}

{#snippet signalCells(
  key: string,
  type: string,
  label: string,
  scaling: PortField['scaling'],
  unit: string,
)}
  {@const signals = byKey.get(key)?.signals ?? []}
  <td class="mono">
    {#each signals as signal (signal.link)}{@render named(signal)}
    {/each}
    {#if !signals.length && type}<NameIt
        {plant}
        {controller}
        place={port.module}
        {key}
        {type}
        {label}
        {scaling}
        {unit}
      />{/if}
  </td>
  <td class="number"
    >{#each signals as signal (signal.link)}<LiveValue
        {plant}
        signal={signal.signal}
        unit={plant.bench.running ? signal.unit : ''}
      />{/each}</td
  >
{/snippet}

{#if told && row}
  <div class="device">
    <header class="row">
      <h3>{called}</h3>
      <span class="quiet"
        >{[lies(port.inward, 'gives'), lies(port.outward, 'takes')]
          .filter(Boolean)
          .join(', ')}{port.cycle_ms
          ? ` · every ${shown(port.cycle_ms)} ms, of which its message takes ${shown(port.message_ms, 2)} ms`
          : ''}</span
      >
      <span class="wide"></span>
      {#if plant.mayEdit}<select
          aria-label="Another device instead of {called}"
          title="What is read of it stays, where the other one has it"
          value={row.type}
          onchange={(event) => void replace(event.currentTarget.value)}
        >
          {#each kinds as kind (kind.key)}<option value={kind.key}>{kind.name}</option>{/each}
        </select>
        <button class="plain" onclick={onunplug}>Unplug <kbd>Del</kbd></button>{/if}
    </header>
    <div class="sides">
      {#if told.wires.length}<Plug wires={told.wires} identity={told.identity} />{/if}
      <div class="maps">
        {#if told.in_octets}<FieldMap
            label="It gives"
            octets={told.in_octets}
            fields={drawn.filter((field) => field.area === 'in')}
          />{/if}
        {#if told.out_octets}<FieldMap
            label="It takes"
            octets={told.out_octets}
            fields={drawn.filter((field) => field.area === 'out')}
          />{/if}
        {#if plant.mayEdit && told.by_file && free}<NameAll
            {plant}
            of={port.module}
            {called}
            verb="Take its fields"
            says="a signal for each, named, with its unit and scale"
          />{/if}
      </div>
    </div>
    {#if fields.length || others.length}
      <table>
        <thead>
          <tr
            ><th>Field</th><th class="number">Bits</th><th>Type</th><th>Value</th><th>Signal</th><th
              class="number">Now</th
            ></tr
          >
        </thead>
        <tbody>
          {#each fields as field (field.key)}
            <tr>
              <td title={field.text}>{field.label}</td>
              <td class="number mono">{bits(field.bit, field.bits)}</td>
              <td>{field.type || '–'}</td>
              <td title={field.choices.map(([value, text]) => `${value}: ${text}`).join('\n')}
                >{[field.scale, field.unit]
                  .filter(Boolean)
                  .join(' ')}{#if field.choices.length}<span
                    class="quiet"
                    class:behind={field.scale || field.unit}
                    >{field.choices
                      .slice(0, 2)
                      .map(([value, text]) => `${value} ${text}`)
                      .join(', ')}</span
                  >{/if}</td
              >
              {@render signalCells(field.key, field.type, field.label, field.scaling, field.unit)}
            </tr>
          {/each}
          {#each others as channel (channel.key)}
            {@const there = bitsOf(channel.key)}
            <tr>
              <td>{channel.label || channel.key}</td>
              <td class="number mono">{there ? bits(there.bit, there.bits) : 'beside'}</td>
              <td>{channel.data_type}</td>
              <td></td>
              {@render signalCells(channel.key, channel.data_type, channel.label, null, '')}
            </tr>
          {/each}
        </tbody>
      </table>
    {/if}
    {#key port.module}<PortParameters {plant} module={port.module} />{/key}
    {#if told.mode === 'data' && plant.mayEdit && (told.in_octets || told.out_octets)}
      {#if told.by_file}
        <details>
          <summary>A field by its bits</summary>
          <ByBits {plant} {controller} module={port.module} out={told.out_octets > 0} />
        </details>
      {:else}
        <p class="quiet">
          No file describes it. Its manual tells each field by its bits, counted from the lowest of
          the last octet.
        </p>
        <ByBits {plant} {controller} module={port.module} out={told.out_octets > 0} />
      {/if}
    {:else if told.mode === 'data' && !told.by_file}
      <p class="quiet">Say beside how many octets it gives and takes, as its manual tells.</p>
    {/if}
  </div>
{/if}

<style>
  .device {
    margin-top: var(--s5);
    padding: var(--s4) var(--s5);
    background: var(--leaf);
    border: 1px solid var(--rule);
  }
  header {
    align-items: baseline;
    margin-bottom: var(--s3);
  }
  header select {
    max-width: 180px;
  }
  h3 {
    white-space: nowrap;
  }
  .sides {
    display: flex;
    gap: var(--s7);
    align-items: flex-start;
    margin-bottom: var(--s4);
  }
  .maps {
    flex: 1;
    min-width: 0;
    display: grid;
    gap: var(--s4);
  }
  .behind {
    margin-left: var(--s4);
  }
  td {
    height: 25px;
    padding-top: 1px;
    padding-bottom: 1px;
  }
  @container (max-width: 640px) {
    .sides {
      flex-direction: column;
    }
  }
</style>
