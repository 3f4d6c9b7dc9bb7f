<script lang="ts">
  import { tick } from 'svelte';
  import { Problem } from '../../api/client';
  import { focused } from '../../kit/focus';
  import LiveValue from '../../kit/LiveValue.svelte';
  import Mark from '../../kit/Mark.svelte';
  import { live } from '../../kit/numbers';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import Trend from './Trend.svelte';

  /** One signal, live: its value with counts and terminals beside it, written and forced where it stands. */
  let {
    plant,
    signal,
    owner,
    way,
    chosen,
    onchoose,
  }: {
    plant: PlantStore;
    signal: Row<'signals'>;
    owner: string;
    way: 'in' | 'out' | 'memory';
    chosen: boolean;
    onchoose: () => void;
  } = $props();

  type Command = 'write' | 'force' | 'release';

  let row = $state<HTMLTableRowElement>();
  let entry = $state<{ command: Command; text: string } | null>(null);
  let refused = $state('');

  const bench = $derived(plant.bench);
  const now = $derived(bench.values.get(signal.id));
  const forced = $derived(signal.id in (bench.state?.forces ?? {}));
  const bit = $derived(signal.type === 'BOOL');

  /** Begin to write or force; a bit is turned at once. */
  export function begin(command: Command): void {
    refused = '';
    if (command === 'release') void send('release', null);
    else if (bit) void send(command, !now?.value);
    else
      entry = {
        command,
        text: now?.value == null ? '' : live(now.value).replace('−', '-').replace(/\s/g, ''),
      };
  }

  /** The row itself, for keys to go on from. */
  export function focus(): void {
    row?.focus();
  }

  async function send(command: Command, value: boolean | string | null) {
    try {
      await bench.command({ command, target: signal.id, value });
      refused = '';
      entry = null;
      await tick();
      row?.focus();
    } catch (error) {
      refused = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }

  async function key(event: KeyboardEvent) {
    event.stopPropagation();
    if (event.key === 'Enter' && entry) void send(entry.command, entry.text);
    if (event.key !== 'Escape') return;
    entry = null;
    refused = '';
    await tick();
    row?.focus();
  }
</script>

<tr
  class:chosen
  tabindex={chosen ? 0 : -1}
  bind:this={row}
  onclick={onchoose}
  onfocus={() => chosen || onchoose()}
>
  <td class="mono"
    >{#if owner}<span class="quiet">{owner}.</span>{/if}{signal.name}</td
  >
  <td>{way === 'memory' ? 'memory' : way === 'out' ? '▸ out' : '◂ in'}</td>
  <td class="number value">
    {#if entry}
      <input
        class="mono"
        bind:value={entry.text}
        use:focused
        aria-label="{entry.command} {signal.name}"
        aria-invalid={refused !== ''}
        onkeydown={key}
      />
    {:else if now?.quality === 'not wired'}<span class="quiet">–</span>
    {:else}<LiveValue {plant} signal={signal.id} unit={signal.unit ?? ''} />{/if}
    {#if refused}<p class="refused" role="alert">{refused}</p>{/if}
  </td>
  <td class="mono quiet beside" title={now?.electrical}
    >{[now?.electrical, now?.raw == null ? '' : live(now.raw)].filter(Boolean).join(' · ')}</td
  >
  <td
    >{#if typeof now?.value === 'number' || typeof now?.value === 'boolean'}<Trend
        width={96}
        points={bench.time >= 0 ? (bench.trends.get(signal.id)?.slice() ?? []) : []}
      />{/if}</td
  >
  <td>
    {#if now?.quality === 'forced'}<Mark state="pending" word="forced" />
    {:else if now?.quality === 'old'}<Mark state="error" word="last known" />
    {:else if now?.quality === 'not wired'}<Mark state="idle" word="not wired" />
    {:else if now?.quality === 'fault'}<Mark state="error" word="loop fault" />
    {:else if now?.quality === 'out of range'}<Mark state="warning" word="out of range" />
    {:else if now}<span class="quiet">bench</span>{:else}<span class="quiet">not read yet</span
      >{/if}
  </td>
  <td class="acts">
    {#if plant.mayEdit}
      {#if way !== 'in'}<button class="plain" onclick={() => begin('write')}
          >{bit ? `Write ${now?.value ? 0 : 1}` : 'Write …'}</button
        >{/if}
      <button class="plain" onclick={() => begin('force')}
        >{bit ? `Force ${now?.value ? 0 : 1}` : 'Force …'}</button
      >
      {#if forced}<button onclick={() => begin('release')}>Release</button>{/if}
    {/if}
  </td>
</tr>

<style>
  td {
    white-space: nowrap;
  }
  td:first-child {
    padding-left: var(--s2);
  }
  tr:focus {
    outline: 2px solid var(--heather);
    outline-offset: -2px;
  }
  .value {
    width: 100px;
  }
  .value input {
    width: 96px;
    height: 24px;
    text-align: right;
  }
  .beside {
    font-size: var(--f-small);
    text-align: right;
    max-width: 190px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .refused {
    margin: 0;
    max-width: 260px;
    margin-left: auto;
    color: var(--bracken);
    font-size: var(--f-small);
    white-space: normal;
    text-align: right;
  }
  .acts {
    text-align: right;
    padding-right: 0;
  }
</style>
