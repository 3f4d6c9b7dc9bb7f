<script lang="ts">
  import { focused } from '../../kit/focus';
  import { Problem } from '../../api/client';
  import Empty from '../../kit/Empty.svelte';
  import LiveValue from '../../kit/LiveValue.svelte';
  import Mark from '../../kit/Mark.svelte';
  import { live, shown } from '../../kit/numbers';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import { parseFilter } from '../../kit/filter';
  import Stations from './Stations.svelte';
  import Trend from './Trend.svelte';

  let { plant }: { plant: PlantStore } = $props();

  const bench = $derived(plant.bench);
  let words = $state('');
  let chosen = $state('');
  let entry = $state<{ signal: string; command: 'write' | 'force'; text: string } | null>(null);
  let problem = $state('');
  let busy = $state(false);
  const SHOWN = 60;

  const controllers = $derived(new Map(plant.list('controllers').map((c) => [c.id, c.name])));
  const links = $derived(new Map(plant.list('links').map((link) => [link.signal, link])));
  const signals = $derived.by(() => {
    const test = parseFilter(words);
    return plant
      .list('controllers')
      .flatMap((c) => plant.list('signals', 'controller', c.id))
      .filter((s) => {
        const link = links.get(s.id);
        const way = link ? (link.access === 'reads' ? 'in' : 'out') : 'memory';
        return test({
          text: `${controllers.get(s.controller)}.${s.name} ${s.note ?? ''}`,
          keys: {
            way,
            type: s.type,
            unit: s.unit ?? '',
            in: controllers.get(s.controller) ?? '',
            forced: forced(s.id) ? 'yes' : 'no',
          },
        });
      });
  });
  const visible = $derived(signals.slice(0, SHOWN));
  const forces = $derived(Object.keys(bench.state?.forces ?? {}));
  const older = $derived(bench.running && bench.state?.revision !== plant.revision);

  const forced = (id: string) => id in (bench.state?.forces ?? {});
  const output = (signal: Row<'signals'>) => links.get(signal.id)?.access !== 'reads';

  $effect(() => {
    if (bench.running) bench.follow(visible.map((s) => s.id));
  });
  $effect(() => {
    if (!bench.running) return;
    const timer = window.setInterval(() => void bench.refresh(), 500);
    return () => window.clearInterval(timer);
  });

  async function act(work: () => Promise<void>) {
    busy = true;
    problem = '';
    try {
      await work();
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    } finally {
      busy = false;
    }
  }

  function begin(signal: Row<'signals'>, command: 'write' | 'force') {
    chosen = signal.id;
    const now = bench.values.get(signal.id)?.value;
    if (signal.type === 'BOOL') {
      void send(signal.id, command, !now);
      return;
    }
    entry = {
      signal: signal.id,
      command,
      text: now == null ? '' : live(now).replace('−', '-').replace(/\s/g, ''),
    };
  }

  const send = (
    target: string,
    command: 'write' | 'force' | 'release' | 'pull' | 'plug',
    value: boolean | string | null = null,
  ) =>
    act(async () => {
      await bench.command({ command, target, value });
      entry = null;
    });

  function key(event: KeyboardEvent) {
    if ((event.target as HTMLElement).matches('input, select, textarea') || event.ctrlKey) return;
    const n = visible.findIndex((s) => s.id === chosen);
    const signal = visible[n];
    if (event.key === 'ArrowDown') chosen = visible[Math.min(n + 1, visible.length - 1)]?.id ?? '';
    else if (event.key === 'ArrowUp') chosen = visible[Math.max(n - 1, 0)]?.id ?? '';
    else if (signal && event.key.toLowerCase() === 'f' && plant.mayEdit) begin(signal, 'force');
    else if (signal && event.key.toLowerCase() === 'w' && plant.mayEdit && output(signal))
      begin(signal, 'write');
    else if (signal && event.key === 'Delete' && forced(signal.id)) void send(signal.id, 'release');
    else return;
    event.preventDefault();
  }
</script>

<svelte:window onkeydown={key} />

<header class="row">
  <h1>Live on the bench</h1>
  {#if bench.running}
    <span class="quiet">
      bench <span class="mono">r{bench.state?.revision}</span> · project
      <span class="mono">r{plant.revision}</span>
      · running for
      <span class="mono">{shown(Math.floor(bench.time))}</span> s
    </span>
    {#if bench.frozen}<Mark
        state="warning"
        word="no news for {shown(bench.ageSeconds, 2)} s"
      />{:else}<Mark
        state="good"
        word="values {bench.ageSeconds < 0.3 ? 'now' : `${shown(bench.ageSeconds, 2)} s old`}"
      />{/if}
  {:else if bench.state?.state === 'ended'}
    <Mark state="error" word="the bench has ended" />
  {/if}
  <span class="wide"></span>
  {#if plant.mayEdit}
    {#if bench.running}
      <button onclick={() => act(() => bench.stop())} disabled={busy}>Stop</button>
    {/if}
    <button
      class:primary={!bench.running || older}
      onclick={() => act(() => bench.download())}
      disabled={busy}
    >
      {bench.running
        ? older
          ? `Download r${plant.revision} (restarts the bench)`
          : 'Download again'
        : 'Download and run'}
    </button>
  {/if}
</header>
{#if problem}<p class="problem" role="alert">{problem}</p>{/if}

{#if !bench.running}
  <Empty title="The bench is idle">
    <p>
      The bench is the plant simulated as it is built: controllers run their tasks, networks
      exchange real octets, tanks fill and humidity moves. Download the project as it is now to
      bring it to life; nothing outside this program is touched.
    </p>
    {#if plant.mayEdit}<button
        class="primary"
        disabled={busy}
        onclick={() => act(() => bench.download())}>Download r{plant.revision} and run</button
      >{/if}
  </Empty>
{:else}
  <Stations {plant} oncable={(id, plugged) => send(id, plugged ? 'plug' : 'pull')} />

  <div class="row tools">
    <input
      bind:value={words}
      placeholder="Filter: humid | tank1  way:out  forced:yes"
      aria-label="Filter the signals"
    />
    <span class="mono quiet">{signals.length}</span>
    <span class="wide"></span>
    {#if forces.length}
      <Mark state="pending" word="{forces.length} forced" />
      <button
        onclick={() =>
          act(async () => {
            for (const id of forces) await bench.command({ command: 'release', target: id });
          })}>Release all</button
      >
    {/if}
  </div>
  <table>
    <thead
      ><tr
        ><th>Signal</th><th>Way</th><th class="number">Value</th><th>Last 15 s</th><th>Source</th
        ><th></th></tr
      ></thead
    >
    <tbody>
      {#each visible as signal (signal.id)}
        {@const now = bench.values.get(signal.id)}
        <tr
          class:chosen={signal.id === chosen}
          onclick={() => {
            chosen = signal.id;
            plant.select(signal.id);
          }}
        >
          <td class="mono"
            >{#if controllers.size > 1}<span class="quiet"
                >{controllers.get(signal.controller)}.</span
              >{/if}{signal.name}</td
          >
          <td>{links.has(signal.id) ? (output(signal) ? '▸ out' : '◂ in') : 'memory'}</td>
          <td class="number value">
            {#if entry?.signal === signal.id}
              <input
                class="mono"
                use:focused
                bind:value={entry.text}
                aria-label="{entry.command} {signal.name}"
                onkeydown={(event) => {
                  event.stopPropagation();
                  if (event.key === 'Enter' && entry)
                    void send(entry.signal, entry.command, entry.text);
                  if (event.key === 'Escape') entry = null;
                }}
              />
            {:else}<LiveValue {plant} signal={signal.id} unit={signal.unit ?? ''} />{/if}
          </td>
          <td
            >{#if typeof now?.value === 'number' || typeof now?.value === 'boolean'}<Trend
                points={bench.time >= 0 ? (bench.trends.get(signal.id)?.slice() ?? []) : []}
              />{/if}</td
          >
          <td>
            {#if now?.quality === 'forced'}<Mark state="pending" word="forced" />
            {:else if now?.quality === 'old'}<Mark state="error" word="last known" />
            {:else if now}<span class="quiet">bench</span>{:else}<span class="quiet"
                >not yet read</span
              >{/if}
          </td>
          <td class="acts">
            {#if plant.mayEdit}
              {#if output(signal)}<button class="plain" onclick={() => begin(signal, 'write')}
                  >{signal.type === 'BOOL' ? `Write ${now?.value ? 0 : 1}` : 'Write …'}</button
                >{/if}
              <button class="plain" onclick={() => begin(signal, 'force')}
                >{signal.type === 'BOOL' ? `Force ${now?.value ? 0 : 1}` : 'Force …'}</button
              >
              {#if forced(signal.id)}<button onclick={() => send(signal.id, 'release')}
                  >Release</button
                >{/if}
            {/if}
          </td>
        </tr>
      {/each}
    </tbody>
  </table>
  {#if signals.length > visible.length}<p class="quiet">
      {signals.length - visible.length} more: filter to see them.
    </p>{/if}
{/if}

<style>
  header {
    flex-wrap: wrap;
  }
  .problem {
    color: var(--bracken);
    margin: 6px 0;
  }
  .tools {
    margin: 6px 0;
  }
  .tools input {
    width: 340px;
  }
  .value {
    width: 130px;
  }
  .value input {
    width: 110px;
    height: 24px;
    text-align: right;
  }
  td {
    white-space: nowrap;
  }
  .acts {
    text-align: right;
    white-space: nowrap;
  }
</style>
