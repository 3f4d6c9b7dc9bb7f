<script lang="ts">
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import type { AxisLive } from './axisLive.svelte';

  /** What has to be so before it moves, and the hand on it. */
  let {
    plant,
    live,
    move = null,
    speed,
    unit,
    speedUnit,
    method,
    endless,
    onstart = () => {},
  }: {
    plant: PlantStore;
    live: AxisLive;
    /** How far the trial move goes; null for an axis that has no positions. */
    move?: number | null;
    /** At which it is jogged, or runs. */
    speed: number;
    unit: string;
    speedUnit: string;
    /** Its drive's homing method; 0 where it has none, and home is where it stands. */
    method: number;
    endless: boolean;
    onstart?: () => void;
  } = $props();

  const told = $derived(live.told);
  const STATES: Record<string, string> = {
    off: 'without power',
    enabling: 'is being enabled',
    standstill: 'stands, powered',
    homing: 'finds home',
    moving: 'moves',
    jogging: 'is jogged',
    running: 'turns',
    stopping: 'brakes',
    fault: 'in fault',
  };
  const moves = $derived(
    told !== null && ['moving', 'jogging', 'running', 'homing', 'stopping'].includes(told.state),
  );
  const held = $derived(told?.safely_held ?? false);
  const still = $derived(told?.state === 'standstill');
  const open = $derived(told?.facts.filter((fact) => !fact.good) ?? []);

  function key(event: KeyboardEvent) {
    if (event.key !== ' ' || !moves) return;
    // Whatever has the focus: a space stops it.
    event.preventDefault();
    event.stopPropagation();
    void live.do({ do: 'stop' });
  }
  const does = $derived(told?.does ?? []);
  const jogs = (way: 1 | -1) => ({
    onpointerdown: () => live.hold(way * speed),
    onpointerup: () => live.letGo(),
    onpointerleave: () => live.letGo(),
    onkeydown: (event: KeyboardEvent) => {
      if (event.key !== 'Enter' || event.repeat) return;
      event.preventDefault();
      live.hold(way * speed);
    },
    onkeyup: () => live.letGo(),
    onblur: () => live.letGo(),
  });
</script>

<svelte:window onkeydowncapture={key} />

<div class="hand" role="group" aria-label="Hand">
  {#if !plant.bench.running}
    <p class="quiet">
      The bench does not run.
      {#if plant.mayEdit}<button onclick={() => void plant.bench.download()}
          >Download and run</button
        >{/if}
    </p>
  {:else if !told}
    <p class="quiet">This axis is not commanded on the bench: name its words first.</p>
  {:else}
    <p class="now">
      {#if move !== null}<b class="mono">{shown(told.position, 6)} {unit}</b>{/if}
      {#if endless || move === null}<b class="mono">{shown(told.turns, 3)} {speedUnit}</b>{/if}
      <span>{STATES[told.state]}</span>
      <span class="quiet plc" title="As its program sees it"
        >{told.plc_open}{told.command ? ` · ${told.command} ${told.out}` : ''}</span
      >
      {#if told.text}<span class="problem">{told.text}</span>{/if}
    </p>
    {#if open.length}
      <ul>
        {#each open as fact (fact.text)}<li><Mark state="warning" /> {fact.text}</li>{/each}
      </ul>
    {:else if told.state === 'off'}
      <p class="quiet">
        {told.facts.map((fact) => fact.text).join(' · ')}.
        {#if move !== null}Is the way free, and was each limit reached by hand?{/if}
      </p>
    {/if}
    {#if plant.mayEdit}
      <div class="row">
        {#if held}
          <button onclick={() => void live.restartSafety()}>Reset and start its safe stop</button>
        {/if}
        {#if told.state === 'fault' || told.fault}
          <button onclick={() => void live.do({ do: 'reset' })}>Reset</button>
        {:else if told.state === 'off'}
          <button onclick={() => void live.do({ do: 'enable' })}>Enable</button>
        {:else}
          <button disabled={moves} onclick={() => void live.do({ do: 'disable' })}
            >Take its power</button
          >
        {/if}
        {#if does.includes('move') && move !== null}
          <button class="primary" disabled={!still} onclick={onstart}
            >Move {shown(move, 4)} {unit}</button
          >
        {/if}
        {#if does.includes('turn')}
          {#each [-1, 1] as const as way (way)}
            <button
              disabled={!still && told.state !== 'jogging'}
              title="Held, it goes at {shown(speed, 3)} {speedUnit}"
              {...jogs(way)}>Jog {way < 0 ? '−' : '+'}</button
            >
          {/each}
          {#if endless || move === null}
            <button
              disabled={!still && told.state !== 'running'}
              onclick={() => void live.do({ do: 'run', speed: String(speed) })}
              >Run at {shown(speed, 3)} {speedUnit}</button
            >
          {/if}
        {/if}
        {#if does.includes('home')}
          <button disabled={!still} onclick={() => void live.do({ do: 'home', distance: '0' })}
            >{method && method !== 37 ? 'Find home' : 'Home here'}</button
          >
        {/if}
        <button disabled={!moves} onclick={() => void live.do({ do: 'stop' })}
          >Stop <kbd>Space</kbd></button
        >
        {#if does.includes('quick-stop')}<button
            class="plain"
            disabled={!moves}
            onclick={() => void live.do({ do: 'quick-stop' })}>Quick stop</button
          >{/if}
      </div>
    {/if}
    {#if live.problem}<p class="problem" role="alert">{live.problem}</p>{/if}
  {/if}
</div>

<style>
  .hand {
    border-left: 3px solid var(--tarn);
    padding: var(--s2) 0 var(--s2) var(--s5);
    margin: var(--s3) 0;
  }
  .now {
    display: flex;
    gap: var(--s5);
    align-items: baseline;
  }
  .plc {
    margin-left: auto;
  }
  ul {
    list-style: none;
    margin: var(--s1) 0;
    padding: 0;
  }
  .row {
    gap: var(--s3);
    margin-top: var(--s2);
  }
  .problem {
    color: var(--bracken);
  }
</style>
