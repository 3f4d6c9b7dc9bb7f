<script lang="ts">
  import { got, http, type FieldOut, type Form } from '../../api/client';
  import { saveCsv } from '../../kit/csv';
  import NameIt from '../../kit/NameIt.svelte';
  import { plural } from '../../kit/numbers';
  import { controllerOfModule } from '../../plant/ports';
  import type { PlantStore } from '../../plant/store.svelte';
  import ChannelCell from './ChannelCell.svelte';

  /** The channels of a module as rows: settings, wiring or cabinet facts; for one, a selection, or all at once. */
  let { plant, module }: { plant: PlantStore; module: string } = $props();

  const SECTIONS = [
    ['parameter', 'Settings'],
    ['wiring', 'Wiring'],
    ['cabinet', 'Terminals'],
  ] as const;
  let form = $state.raw<Form | null>(null);
  let section = $state<'parameter' | 'wiring' | 'cabinet'>('parameter');
  let chosen = $state.raw<string[]>([]);
  let anchor = 0;
  let changedOnly = $state(false);

  $effect(() => {
    void plant.revision;
    const wanted = module;
    const path = { params: { path: { key: plant.key, row_id: wanted } } };
    http
      .GET('/api/plants/{key}/fields/{row_id}', path)
      .then((answer) => {
        if (wanted === module) form = answer.response.ok ? got(answer) : null;
      })
      .catch(() => {});
  });

  const told = $derived(plant.part('module.channels', module));
  const channels = $derived(told?.channels ?? []);
  const places = $derived([told?.in_place, told?.out_place].filter(Boolean));
  const wiring = $derived(plant.part('module.wiring', module));
  const fields = $derived(
    (form?.id === module ? form.fields : []).filter((f) => f.channel && f.section === section),
  );
  const columns = $derived([...new Map(fields.map((f) => [keyOf(f), f])).values()]);
  const byPlace = $derived(new Map(fields.map((f) => [`${f.channel}.${keyOf(f)}`, f])));
  const changed = $derived(
    new Set(fields.filter((f) => !f.is_default && f.value != null).map((f) => f.channel)),
  );
  const rows = $derived(changedOnly ? channels.filter((c) => changed.has(c.key)) : channels);
  const offered = $derived(
    SECTIONS.filter(([key]) => form?.fields.some((f) => f.channel && f.section === key)),
  );
  $effect(() => {
    if (offered.length && !offered.some(([key]) => key === section)) section = offered[0]![0];
  });

  function keyOf(field: FieldOut): string {
    return field.path.split('.').at(-1) ?? field.path;
  }

  function choose(n: number, event: MouseEvent) {
    const key = rows[n]?.key;
    if (!key) return;
    if (event.shiftKey) {
      const [from, to] = anchor < n ? [anchor, n] : [n, anchor];
      chosen = rows.slice(from, to + 1).map((c) => c.key);
    } else if (event.ctrlKey || event.metaKey) {
      chosen = chosen.includes(key) ? chosen.filter((k) => k !== key) : [...chosen, key];
      anchor = n;
    } else {
      chosen = chosen.length === 1 && chosen[0] === key ? [] : [key];
      anchor = n;
    }
  }

  /** One value for the cell's channel, or for every chosen one when it is among them. */
  async function set(channel: string, column: string, value: unknown, label: string) {
    const targets = chosen.includes(channel) ? chosen : [channel];
    const values = Object.fromEntries(
      targets.flatMap((c) => {
        const field = byPlace.get(`${c}.${column}`);
        return field ? [[field.path, value]] : [];
      }),
    );
    const what =
      targets.length > 1 ? plural(targets.length, 'channel') : `channel ${channel.slice(2)}`;
    await plant.edit({ kind: 'set', ids: [module], values }, `${label}, ${what}`);
  }

  async function reset() {
    const targets = chosen.length ? chosen : channels.map((c) => c.key);
    const values = Object.fromEntries(
      fields
        .filter((f) => targets.includes(f.channel) && !f.is_default && f.value != null)
        .map((f) => [f.path, null]),
    );
    if (Object.keys(values).length)
      await plant
        .edit({ kind: 'set', ids: [module], values }, 'Back to what the type gives')
        .catch(() => {});
  }

  const computed = (key: string) => wiring?.channels.find((c) => c.key === key);

  /** The terminal table as a file for the electrician. */
  function save() {
    saveCsv(`${form?.label ?? 'terminals'}.csv`, [
      ['Channel', 'Kind', 'Terminals', 'Signal', 'Cable', 'Core', 'Note'],
      ...channels.map((c) => [
        c.number,
        c.kind,
        c.terminals,
        c.signals.map((s) => s.name).join(' ') || c.gives,
        c.cable,
        c.core,
        c.note,
      ]),
    ]);
  }
</script>

<header class="row">
  {#each offered as [key, label] (key)}
    <button
      class="plain tab"
      aria-pressed={section === key}
      class:current={section === key}
      onclick={() => (section = key)}>{label}</button
    >
  {/each}
  <span class="quiet"
    >{chosen.length
      ? `${plural(chosen.length, 'channel')} chosen: a value goes to all of them`
      : 'Click rows to choose several (Shift, Ctrl)'}</span
  >
  <span class="wide"></span>
  <label class="row"
    ><input type="checkbox" bind:checked={changedOnly} /> changed only
    <span class="mono quiet">{changed.size}</span></label
  >
  {#if plant.mayEdit}<button class="plain" disabled={!changed.size} onclick={() => void reset()}
      >Reset {chosen.length ? 'chosen' : 'all'}</button
    >{/if}
  {#if plant.mayEdit}<button
      class="plain"
      onclick={() => (chosen = chosen.length === channels.length ? [] : channels.map((c) => c.key))}
      >{chosen.length === channels.length ? 'Choose none' : 'Choose all'}</button
    >{/if}
  {#if section === 'cabinet'}<button class="plain" onclick={save}>Save as CSV</button>{/if}
</header>
{#if places.length}<p class="quiet">
    Octets in the image: <span class="mono">{places.join(' · ')}</span>
  </p>{/if}
{#if told?.octets.length}
  <p class="quiet">
    {#each told.octets as octet (octet.label)}
      From {octet.label} on:
      {#each octet.signals as signal (signal.link)}<button
          class="plain mono"
          onclick={() => plant.select(signal.signal)}>{signal.name} {signal.type}</button
        >
      {/each}
    {/each}
  </p>
{/if}
{#if !channels.length}
  <p class="quiet">This module has no channels.</p>
{:else}
  <div class="table">
    <table>
      <thead>
        <tr>
          <th class="number">Ch</th><th>Terminals</th><th>Signal</th>
          {#each columns as column (column.path)}
            <th title={column.hint}
              >{column.label}{#if column.unit}
                <span class="unit">{column.unit}</span>{/if}{#if column.restart}
                <span class="unit" title="Takes effect after a restart">restart</span>{/if}</th
            >
          {/each}
          {#if section === 'wiring'}<th>Arrives, burden</th>{/if}
        </tr>
      </thead>
      <tbody>
        {#each rows as channel, n (channel.key)}
          {@const wired = computed(channel.key)}
          <tr class:chosen={chosen.includes(channel.key)}>
            <td class="number pick"
              ><button
                class="plain"
                aria-pressed={chosen.includes(channel.key)}
                onclick={(event) => choose(n, event)}
                >{channel.kind === 'in' || channel.kind.endsWith('I') ? '◂' : '▸'}
                {channel.number}</button
              ></td
            >
            <td class="mono">{channel.terminals}</td>
            <td class="mono name"
              >{#if channel.signals.length}{channel.signals
                  .map((s) => s.name)
                  .join(', ')}{:else if channel.gives}{channel.gives}{:else}<NameIt
                  {plant}
                  controller={controllerOfModule(plant, module)?.id}
                  place={module}
                  key={channel.key}
                  type={channel.data_type}
                  label="channel {channel.number}"
                />{/if}</td
            >
            {#each columns as column (column.path)}
              {@const field = byPlace.get(`${channel.key}.${keyOf(column)}`)}
              <td class:own={field && !field.is_default && field.value != null}>
                {#if field}<ChannelCell
                    {field}
                    disabled={!plant.mayEdit}
                    onset={(value) => set(channel.key, keyOf(column), value, column.label)}
                  />{/if}
              </td>
            {/each}
            {#if section === 'wiring'}
              <td class="mono quiet"
                >{#if wired?.reads_high_k != null}<span
                    title="Both leads are part of what is measured"
                    >reads {wired.reads_high_k.toFixed(1)} K high</span
                  >{/if}{#if wired?.far_end_v != null}<span class:bad={wired.starved}
                    >{wired.far_end_v.toFixed(1)} V</span
                  >{/if}{#if wired?.burden_ohm != null}<span class:bad={wired.burdened}>
                    {wired.burden_ohm.toFixed(0)} of {wired.burden_limit_ohm?.toFixed(0)} Ω</span
                  >{/if}</td
              >
            {/if}
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
{/if}

<style>
  p {
    margin: var(--s1) 0;
  }
  header {
    margin: var(--s3) 0 var(--s1);
    flex-wrap: wrap;
  }
  .tab.current {
    border-bottom-color: var(--heather);
    border-bottom-width: 3px;
  }
  label {
    gap: var(--s2);
  }
  .table {
    overflow-x: auto;
  }
  td {
    height: 26px;
    padding: 1px var(--s4) 1px 0;
    white-space: nowrap;
  }
  th {
    white-space: nowrap;
    font-size: var(--f-note);
  }
  th .unit {
    margin-left: var(--s2);
  }
  .pick {
    width: 52px;
  }
  .name {
    max-width: 170px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .own {
    box-shadow: inset 2px 0 var(--heather);
    font-weight: 600;
  }
  .bad {
    color: var(--bracken);
    font-weight: 600;
  }
</style>
