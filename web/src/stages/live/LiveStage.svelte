<script lang="ts">
  import { Problem } from '../../api/client';
  import { focusedButton } from '../../kit/focus';
  import Empty from '../../kit/Empty.svelte';
  import Mark from '../../kit/Mark.svelte';
  import { plural, shown } from '../../kit/numbers';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import { parseFilter } from '../../kit/filter';
  import { linksOf } from '../../plant/links';
  import { router } from '../../shell/router.svelte';
  import CameAndWent from './CameAndWent.svelte';
  import NetworkFacts from './NetworkFacts.svelte';
  import LiveRow from './LiveRow.svelte';
  import Stations from './Stations.svelte';

  let { plant }: { plant: PlantStore } = $props();

  const bench = $derived(plant.bench);
  let words = $state('');
  let chosen = $state('');
  const rows = $state<Record<string, LiveRow | undefined>>({});
  let problem = $state('');
  let busy = $state(false);
  const SHOWN = 60;

  const controllers = $derived(new Map(plant.list('controllers').map((c) => [c.id, c.name])));
  const links = $derived(linksOf(plant));
  // In one word, so that a state that forces the same leaves the list in peace.
  const forcedNow = $derived(Object.keys(bench.state?.forces ?? {}).join(' '));
  const forces = $derived(forcedNow.split(' ').filter(Boolean));
  const forced = (id: string) => forces.includes(id);
  const signals = $derived.by(() => {
    const test = parseFilter(words);
    return plant
      .list('controllers')
      .flatMap((c) => plant.list('signals', 'controller', c.id))
      .filter((s) => {
        return test({
          text: `${controllers.get(s.controller)}.${s.name} ${s.note ?? ''}`,
          keys: {
            way: way(s.id),
            type: s.type,
            unit: s.unit ?? '',
            in: controllers.get(s.controller) ?? '',
            forced: forced(s.id) ? 'yes' : 'no',
          },
        });
      });
  });
  const visible = $derived(signals.slice(0, SHOWN));
  const older = $derived(bench.running && (bench.state?.revision ?? 0) < plant.configured);

  const way = (id: string): 'in' | 'out' | 'memory' => {
    const link = links.get(id)?.link;
    return link ? (link.access === 'reads' ? 'in' : 'out') : 'memory';
  };

  $effect(() => {
    if (bench.running) bench.follow(visible.map((s) => s.id));
  });
  $effect(() => (bench.running ? bench.watched() : undefined));

  const errors = $derived(
    [...plant.findings.values()].filter((f) => f.severity === 'error').length,
  );
  let asking = $state(false);

  /** What is lost or will not work by it is asked once. */
  function download() {
    if (!asking && (errors || forces.length)) asking = true;
    else void act(() => bench.download());
  }

  async function act(work: () => Promise<void>) {
    busy = true;
    asking = false;
    problem = '';
    try {
      await work();
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    } finally {
      busy = false;
    }
  }

  const cable = (target: string, plugged: boolean) =>
    act(async () => {
      const name = plant.row('stations', target)?.name ?? target;
      const label = plugged ? `Plug in the cable of ${name}` : `Pull the cable of ${name}`;
      await plant.edit({ kind: 'set-built', ids: [target], values: { cable: plugged } }, label);
    });

  const power = (target: string, powered: boolean) =>
    act(async () => {
      const name = plant.row('stations', target)?.name ?? target;
      const label = powered ? `Give power to ${name}` : `Take the power from ${name}`;
      await plant.edit({ kind: 'set-built', ids: [target], values: { powered } }, label);
    });

  function choose(signal: Row<'signals'> | undefined) {
    if (!signal) return;
    chosen = signal.id;
    plant.select(signal.id);
  }

  /** The row an arrow leads to, with the focus on it. */
  function goTo(n: number) {
    const signal = visible[Math.max(0, Math.min(n, visible.length - 1))];
    choose(signal);
    if (signal) rows[signal.id]?.focus();
  }

  /** From the filter to what it left. */
  function intoRows(event: KeyboardEvent) {
    if (event.key !== 'Enter' && event.key !== 'ArrowDown') return;
    event.preventDefault();
    goTo(0);
  }

  function key(event: KeyboardEvent) {
    if ((event.target as HTMLElement).matches('input, select, textarea') || event.ctrlKey) return;
    const n = visible.findIndex((s) => s.id === chosen);
    const signal = visible[n];
    const row = signal && plant.mayEdit ? rows[signal.id] : undefined;
    const letter = event.key.toLowerCase();
    if (event.key === 'ArrowDown') goTo(n + 1);
    else if (event.key === 'ArrowUp') goTo(n - 1);
    else if (signal && row && letter === 'f') row.begin('force');
    else if (signal && row && letter === 'w' && way(signal.id) !== 'in') row.begin('write');
    else if (signal && row && event.key === 'Delete' && forced(signal.id)) row.begin('release');
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
      <span class="mono">r{plant.configured}</span>
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
    <button class:primary={!bench.running || older} onclick={download} disabled={busy}>
      {bench.running
        ? older
          ? `Download r${plant.revision} (restarts the bench)`
          : 'Download again'
        : 'Download and run'}
    </button>
  {/if}
</header>
<nav class="scans" aria-label="Scan a network">
  <span class="quiet">Scan a network:</span>
  {#each plant.list('networks') as network (network.id)}
    <button class="plain" onclick={() => router.go(`/p/${plant.key}/live/${network.id}`)}
      >{network.name}</button
    >
  {/each}
</nav>
{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
{#if asking}
  <div class="asking row" role="alertdialog" aria-label="Before the download">
    <p>
      {#if errors}{plural(errors, 'error')}
        {errors === 1 ? 'is' : 'are'} open: what they concern will not work on the bench.{/if}
      {#if forces.length}Downloading again ends {plural(forces.length, 'force')}: {forces
          .slice(0, 4)
          .map((id) => plant.row('signals', id)?.name ?? id)
          .join(', ')}{forces.length > 4 ? ' …' : ''}.{/if}
    </p>
    <button class="primary" use:focusedButton onclick={() => act(() => bench.download())}
      >Download all the same</button
    >
    <button onclick={() => (asking = false)}>Cancel</button>
  </div>
{/if}

{#if !bench.running}
  <Empty title="The bench is idle">
    <p>
      The bench simulates the plant as it was built: controllers run their tasks, networks exchange
      real octets, tanks fill and humidity moves. Download the project as it is now to start it;
      nothing outside this program is touched.
    </p>
    {#if plant.mayEdit}<button class="primary" disabled={busy} onclick={download}
        >Download r{plant.revision} and run</button
      >{/if}
  </Empty>
{:else}
  <NetworkFacts {plant} />
  <Stations {plant} oncable={cable} onpower={power} />
  <CameAndWent {plant} />

  <div class="row tools">
    <input
      bind:value={words}
      placeholder="Filter: humid | tank1  way:out  forced:yes"
      aria-label="Filter the signals"
      onkeydown={intoRows}
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
  <div class="sideways">
    <table>
      <thead
        ><tr
          ><th>Signal</th><th>Way</th><th class="number">Value</th><th class="number"
            >Terminals · counts</th
          ><th>Last 15 s</th><th>Source</th><th><span class="unseen">Write or force</span></th></tr
        ></thead
      >
      <tbody>
        {#each visible as signal (signal.id)}
          <LiveRow
            bind:this={rows[signal.id]}
            {plant}
            {signal}
            owner={controllers.size > 1 ? (controllers.get(signal.controller) ?? '') : ''}
            way={way(signal.id)}
            chosen={signal.id === chosen}
            onchoose={() => choose(signal)}
          />
        {/each}
      </tbody>
    </table>
  </div>
  {#if signals.length > visible.length}<p class="quiet">
      {signals.length - visible.length} more: filter to see them.
    </p>{/if}
{/if}

<style>
  .sideways {
    overflow-x: auto;
  }
  header {
    flex-wrap: wrap;
  }
  .scans {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s1) var(--s4);
    align-items: center;
    font-size: var(--f-note);
  }
  .problem {
    color: var(--bracken);
    margin: var(--s3) 0;
  }
  .asking {
    border-left: 3px solid var(--gorse);
    padding: var(--s2) var(--s4);
    margin: var(--s3) 0;
    gap: var(--s4);
  }
  .asking p {
    margin: 0;
    flex: 1;
  }
  .tools {
    margin: var(--s3) 0;
  }
  .tools input {
    width: 340px;
  }
</style>
