<script lang="ts">
  import { untrack } from 'svelte';
  import Empty from '../../kit/Empty.svelte';
  import { plural } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import AddAxis from './AddAxis.svelte';
  import AddRobot from './AddRobot.svelte';
  import AxisIndex from './AxisIndex.svelte';
  import { AxisWork } from './axisWork.svelte';
  import ChainLine from './ChainLine.svelte';
  import Commands from './Commands.svelte';
  import Copies from './Copies.svelte';
  import Homing from './Homing.svelte';
  import LoadDrawing from './LoadDrawing.svelte';
  import Moves from './Moves.svelte';
  import RobotView from './RobotView.svelte';
  import RunAtSpeed from './RunAtSpeed.svelte';
  import ScaleFacts from './ScaleFacts.svelte';
  import SideBySide from './SideBySide.svelte';
  import Stepper from './Stepper.svelte';
  import TravelLine from './TravelLine.svelte';
  import TrialMove from './TrialMove.svelte';

  let { plant, axisId, chosen }: { plant: PlantStore; axisId: string; chosen: string } = $props();

  const work = untrack(
    () =>
      new AxisWork(
        plant,
        () => axisId,
        () => chosen,
      ),
  );
  let adding = $state<'' | 'axis' | 'robot'>('');
  let beside = $state(false);
  const axis = $derived(work.axis);
  const robot = $derived(work.robot);
  const chain = $derived(axis ? plant.part('axis.chain', axis.id) : undefined);
  const load = $derived(axis ? plant.part('axis.load', axis.id) : undefined);
  const stepper = $derived(axis ? plant.part('axis.stepper', axis.id) : undefined);
  const travel = $derived(axis ? plant.part('axis.travel', axis.id) : undefined);
  const home = $derived(axis ? plant.part('axis.home', axis.id) : undefined);
  const ways = $derived(axis ? plant.part('axis.homing', axis.id) : undefined);
  const climbs = $derived(load?.pulls_back);

  $effect(() => {
    const id = work.chosen?.id ?? axis?.id ?? robot?.id;
    untrack(() => plant.select(...(id ? [id] : [])));
  });

  const networked = $derived(plant.row('stations', axis?.drive ?? '') !== undefined);
  const sections = $derived([
    'Chain',
    ...(travel?.ends.length ? ['Travel'] : []),
    ...(load ? ['Torque'] : []),
    ...(axis?.kind === 'speed' ? ['Run'] : ['Homing', 'Trial move']),
    ...(networked ? ['In the drive'] : []),
    'Moves',
    ...(stepper && !networked ? [] : ['Commands']),
  ]);
  function goTo(section: string) {
    const there = document.querySelector<HTMLElement>(`main section[aria-label="${section}"]`);
    there?.scrollIntoView({ block: 'start' });
  }

  function key(event: KeyboardEvent) {
    if ((event.target as HTMLElement).matches('input, select, textarea') || event.ctrlKey) return;
    if (event.key !== 'Delete' || !plant.mayEdit) return;
    event.preventDefault();
    void work.remove();
  }
</script>

<svelte:window onkeydown={key} />

<header class="row">
  <h1>Motion</h1>
  <span class="quiet">{work.axes.length ? plural(work.axes.length, 'axis', 'axes') : ''}</span>
  <span class="wide"></span>
  {#if work.axes.length > 1 && !beside}<button class="plain" onclick={() => (beside = true)}
      >Side by side</button
    >{/if}
  {#if plant.mayEdit}
    <button class="plain" onclick={() => (adding = 'robot')}>Add a robot</button>
    <button onclick={() => (adding = 'axis')}>Add an axis</button>
  {/if}
</header>
{#if adding}
  {@const Form = adding === 'axis' ? AddAxis : AddRobot}
  <Form
    {plant}
    oncancel={() => (adding = '')}
    onmade={(id: string) => {
      adding = '';
      work.open(id);
    }}
  />
{/if}

{#if robot}
  {#if beside}<SideBySide {work} ondone={() => (beside = false)} />{:else}<AxisIndex {work} />{/if}
  <div class="row name">
    <h2>{robot.name}</h2>
    <span class="quiet">Robot</span>
  </div>
  {#key robot.id}<RobotView {plant} {robot} onopen={(id) => work.open(id)} />{/key}
{:else if !axis}
  {#if work.robots.length}<AxisIndex {work} />{/if}
  <Empty title="No axis yet">
    <p>
      An axis is what a motor moves: a carriage, a lift, a table, a fan. From its chain follow
      counts, torque and stopping distances, exactly.
    </p>
  </Empty>
{:else}
  {#if beside}<SideBySide {work} ondone={() => (beside = false)} />{:else}<AxisIndex {work} />{/if}
  <div class="row name">
    <h2>{axis.name}</h2>
    <span class="quiet">{plant.catalogue.axis_kinds[axis.kind]}</span>
    <span class="wide"></span>
    <nav class="row" aria-label="Of this axis">
      {#each sections as section (section)}
        <button class="plain" onclick={() => goTo(section)}>{section}</button>
      {/each}
      <button class="plain" aria-pressed={!work.chosen} onclick={() => work.open(axis.id)}
        >Settings …</button
      >
    </nav>
  </div>
  <ChainLine {work} />
  {#if chain}<ScaleFacts told={chain} />{/if}
  {#if stepper}<Stepper told={stepper} {chain} />{/if}
  {#if travel?.ends.length && chain}
    <section aria-label="Travel">
      <div class="row head">
        <h2>Travel</h2>
        <span class="quiet"
          >{travel.stopping !== null
            ? 'red: how far it runs on when it is stopped there at its highest speed'
            : ''}</span
        >
      </div>
      <TravelLine
        told={travel}
        unit={chain.unit}
        speedUnit={chain.speed_unit}
        label="Travel of {axis.name}"
      />
    </section>
  {/if}
  {#if load && chain}
    <section aria-label="Torque">
      <div class="row head">
        <h2>Torque at the motor</h2>
        <span class="quiet"
          >{load.missing.length ? `counts as nothing: ${load.missing.join(', ')}` : 'Nm'}</span
        >
      </div>
      <LoadDrawing
        told={load}
        unit={chain.unit}
        forth={climbs ? 'up' : 'forth'}
        back={climbs ? 'down' : 'back'}
      />
    </section>
  {/if}
  {#if axis.kind !== 'speed' && chain}
    <section aria-label="Homing">
      <div class="row head">
        <h2>Homing</h2>
        <select
          aria-label="Finds home by"
          disabled={!plant.mayEdit}
          value={String(home?.method ?? axis.settings?.home_method ?? 0)}
          onchange={(event) => void work.homeBy(Number(event.currentTarget.value))}
        >
          <option value="0">no method: home is where it is told that it stands</option>
          {#each plant.catalogue.homing_methods as label, n (n)}
            <option value={String(parseInt(label, 10))}>{label}</option>
          {/each}
        </select>
        {#if home?.missing}<span class="problem">needs the {home.missing}</span>{/if}
      </div>
      {#if home && ways}
        <Homing {home} {ways} unit={chain.unit} speedUnit={chain.speed_unit} />
      {/if}
    </section>
  {/if}
  {#key axis.id}
    {#if axis.kind !== 'speed'}<TrialMove {plant} axis={axis.id} />
    {:else}<RunAtSpeed {plant} axis={axis.id} />{/if}
  {/key}
  {#if networked}{#key axis.id}<Copies {plant} axis={axis.id} />{/key}{/if}
  <Moves {work} />
  {#if !stepper || networked}{#key axis.id}<Commands {plant} axis={axis.id} />{/key}{/if}
{/if}

<style>
  :global(main section[aria-label]) {
    scroll-margin-top: calc(var(--s7) + var(--s6));
  }
  section {
    margin-top: var(--s5);
  }
  .name,
  .head {
    align-items: baseline;
  }
  /* Whose sections these are stays in sight. */
  .name {
    position: sticky;
    top: calc(-1 * var(--s5));
    z-index: 1;
    background: var(--paper);
    border-bottom: 1px solid var(--rule-2);
    padding: var(--s2) 0;
  }
  .head select {
    width: auto;
  }
  .problem {
    color: var(--bracken);
  }
  nav {
    gap: 0;
  }
  nav button {
    font-weight: 400;
    padding-inline: var(--s3);
    white-space: nowrap;
  }
  .name > .quiet {
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
</style>
