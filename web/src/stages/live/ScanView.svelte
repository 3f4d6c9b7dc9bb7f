<script lang="ts">
  import { got, http, Problem, type Schemas } from '../../api/client';
  import Empty from '../../kit/Empty.svelte';
  import Field from '../../kit/Field.svelte';
  import Mark from '../../kit/Mark.svelte';
  import { plural, shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';
  import DifferencePanel from './DifferencePanel.svelte';
  import NewDevice from './NewDevice.svelte';
  import Strands from './Strands.svelte';

  /** A network as configured, as it runs, and as a scan found it; what differs, and who can put it right how. */
  let { plant, networkId, me }: { plant: PlantStore; networkId: string; me: string } = $props();

  type Plan = Schemas['ScanPlanOut'];
  type Compared = Schemas['ComparedOut'];

  const network = $derived(plant.row('networks', networkId));
  const path = $derived({ params: { path: { key: plant.key, network: networkId } } });
  let wanted = $state<Record<string, unknown>>({});
  let plan = $state.raw<Plan | null>(null);
  let compared = $state.raw<Compared | null>(null);
  let problem = $state('');
  let chosen = $state('');
  let ignored = $state<string[]>([]);
  let adding = $state(false);
  /** The scan since which something was done at a device: what it found may no longer be so. */
  let changed = $state(0);

  const scans = $derived(plant.bench.state?.scans.filter((s) => s.network === networkId) ?? []);
  const scan = $derived(scans[0] ?? null);
  const mine = $derived(scans.find((s) => s.state === 'waiting'));
  const under = $derived(scan?.state === 'running');

  $effect(() => {
    void plant.revision;
    const body = { wanted };
    http
      .POST('/api/plants/{key}/networks/{network}/scan/plan', { ...path, body })
      .then((answer) => {
        if (answer.response.ok) plan = got(answer);
      })
      .catch(() => {});
  });

  // What was found, and what the plant is now: either may change.
  const seen = $derived(
    `${plant.revision} ${scan?.number ?? 0} ${scan?.state ?? ''} ${scan?.found.length ?? 0}`,
  );
  $effect(() => {
    void seen;
    http
      .GET('/api/plants/{key}/networks/{network}/scan', path)
      .then((answer) => {
        if (answer.response.ok) compared = got(answer);
      })
      .catch(() => {});
  });

  const all = $derived(compared?.differences ?? []);
  const differing = $derived(
    all.filter(
      (d) => !['agrees', 'theirs', 'off', 'unasked'].includes(d.kind) && !ignored.includes(d.key),
    ),
  );
  const difference = $derived(differing.find((d) => d.key === chosen) ?? differing[0] ?? null);
  const deeds = $derived(
    plant.bench.state?.deeds.filter((d) => d.network === networkId).slice(-2) ?? [],
  );

  async function act(work: () => Promise<unknown>) {
    problem = '';
    try {
      await work();
      await plant.bench.refresh();
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    }
  }

  const begin = () =>
    act(async () => {
      // Whoever was looked at is still: he comes back when the scan has found him again.
      ignored = [];
      got(
        await http.POST('/api/plants/{key}/networks/{network}/scan', { ...path, body: { wanted } }),
      );
    });
  const stop = () =>
    act(async () => got(await http.DELETE('/api/plants/{key}/networks/{network}/scan', path)));
  const overNetwork = (body: Schemas['OverNetwork']) =>
    act(async () => {
      got(await http.POST('/api/plants/{key}/networks/{network}/act', { ...path, body }));
    });

  function choose(k: string) {
    chosen = k;
    const station = all.find((d) => d.key === k)?.station;
    plant.select(station || networkId);
  }

  function walk(step: number) {
    if (!differing.length) return;
    const n = differing.findIndex((d) => d.key === difference?.key);
    choose(differing[(n + step + differing.length) % differing.length]!.key);
  }

  function key(event: KeyboardEvent) {
    if ((event.target as HTMLElement).matches('input, select, textarea')) return;
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === 'n') walk(1);
    else if (event.key === 'p') walk(-1);
    else return;
    event.preventDefault();
  }

  const seconds = (s: number) =>
    s < 60 ? `${shown(s, 2)} s` : `${Math.floor(s / 60)} min ${Math.round(s % 60)} s`;
</script>

<svelte:window onkeydown={key} />

<header class="row">
  <button class="plain" onclick={() => router.go(`/p/${plant.key}/live`)}>◂ Live</button>
  <h1>Scan {network?.name ?? ''}</h1>
  <span class="wide"></span>
  {#if plant.mayEdit}<button class="plain" onclick={() => (adding = !adding)}
      >Add a device that the plant does not know …</button
    >{/if}
</header>
{#if adding}<NewDevice {plant} network={networkId} onover={() => (adding = false)} />{/if}

<section class="plan" aria-label="What to ask">
  {#each plan?.fields ?? [] as field (field.path)}
    <Field
      {field}
      disabled={!plant.mayEdit || under}
      oncommit={async (value) => {
        wanted = { ...wanted, [field.path.slice(7)]: value };
      }}
    />
  {/each}
  <div class="row begin">
    {#if under && scan}
      <progress max={scan.asked} value={scan.done} aria-label="Questions answered"></progress>
      <span class="mono quiet">{scan.done} of {scan.asked} · {seconds(scan.ran_s)}</span>
      <span class="quiet">{scan.by} scans, at most {seconds(scan.takes_s)} in all</span>
      {#if plant.mayEdit}<button onclick={stop}>Stop</button>{/if}
    {:else if plant.mayEdit}
      <button
        class="primary"
        disabled={!plan || !plant.bench.running || !!plan.problem}
        onclick={begin}>{scan ? 'Scan again' : 'Scan'}</button
      >
      <span class="quiet"
        >{!plant.bench.running
          ? 'The bench is idle: download first, under Live.'
          : plan?.problem
            ? plan.problem
            : plan?.takes_s != null
              ? `takes ${seconds(plan.takes_s)} at most`
              : ''}</span
      >
    {/if}
    {#if under && plant.mayEdit && !mine && scan && scan.by !== me}
      <button onclick={begin}>Scan after that</button>
    {/if}
    {#if mine}<Mark state="pending" word="yours waits until {mine.ahead}’s scan is over" />{/if}
  </div>
</section>
{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
{#each deeds as deed, n (n)}
  <p class="quiet">
    <Mark state={deed.good === null ? 'pending' : deed.good ? 'good' : 'error'} />
    {deed.at}: {deed.text}
  </p>
{/each}

{#if scan && changed === scan.number}
  <p class="quiet">
    <Mark
      state="pending"
      word="Something was done at a device since this scan: scan again to see it."
    />
  </p>
{/if}
{#if !scan}
  <Empty title="Nothing has been asked yet">
    <p>
      A scan asks the network itself who is there, with its own frames, and lays what answers beside
      what is configured. Nothing is changed by it.
    </p>
  </Empty>
{:else if compared}
  <Strands
    {plant}
    {all}
    {ignored}
    found={compared.scan?.found ?? []}
    chosen={difference?.key ?? ''}
    running={under}
    onchoose={choose}
  />
  {#if difference}
    <DifferencePanel
      {plant}
      {difference}
      at={differing.indexOf(difference) + 1}
      of={differing.length}
      found={difference.found == null ? null : (compared.scan?.found[difference.found] ?? null)}
      network={networkId}
      ondeed={overNetwork}
      onchanged={() => (changed = scan.number)}
      onignore={(k) => (ignored = [...ignored, k])}
      onwalk={walk}
    />
  {:else if scan.state === 'done'}
    <p class="well"><Mark state="good" word="What was found agrees with what is configured." /></p>
  {/if}
  {#if ignored.length}<p class="quiet">
      {plural(ignored.length, 'difference')} left aside.
      <button class="plain" onclick={() => (ignored = [])}>Show them again</button>
    </p>{/if}
{/if}

<style>
  .plan {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(230px, 1fr));
    gap: var(--s1) var(--s6);
    border-bottom: 1px solid var(--rule);
    padding-bottom: var(--s4);
    margin-bottom: var(--s4);
  }
  .begin {
    grid-column: 1 / -1;
    gap: var(--s4);
    min-height: 34px;
    flex-wrap: wrap;
  }
  progress {
    width: 180px;
    accent-color: var(--tarn);
  }
  .problem {
    color: var(--bracken);
  }
  .well {
    margin-top: var(--s5);
  }
</style>
