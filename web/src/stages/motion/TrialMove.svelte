<script lang="ts">
  import { untrack } from 'svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import { AxisLive } from './axisLive.svelte';
  import Ready from './Ready.svelte';
  import Tape from './Tape.svelte';
  import { Trial } from './trial.svelte';
  import TrialCurve from './TrialCurve.svelte';

  /** The first proving move of an axis, and what the tape says of it. */
  let { plant, axis }: { plant: PlantStore; axis: string } = $props();

  const trial = untrack(() => new Trial(plant, axis));
  const live = untrack(() => new AxisLive(plant, axis));
  // Where the tape was held when the latest move began.
  let began = $state<number | null>(null);
  $effect(() => {
    if (plant.bench.running) return untrack(() => live.follow());
  });

  async function start() {
    if (!curve) return;
    const bounds = { speed: String(curve.speed), acceleration: String(curve.acceleration) };
    const lead = Math.sign(curve.distance) * trial.lead;
    if (lead) {
      // Back and forth again: its play is then on the side it moves to. Without room behind it, forth alone does.
      await live.moved({ distance: String(-lead), ...bounds });
      if (!(await live.moved({ distance: String(lead), ...bounds }))) return;
    }
    began = await live.tape();
    await live.do({ do: 'move', distance: String(curve.distance), ...bounds });
  }

  const chain = $derived(plant.part('axis.chain', axis));
  const curve = $derived(trial.curve);
  const method = $derived(plant.part('axis.home', axis)?.method ?? 0);
  const BOUNDS = ['distance', 'speed', 'acceleration'] as const;
  const LABELS = { distance: 'Distance', speed: 'Speed', acceleration: 'Acceleration' };
  const units = $derived({
    distance: chain?.unit ?? '',
    speed: chain?.speed_unit ?? '',
    acceleration: `${chain?.unit ?? ''}/s²`,
  });
  let typing = $state<string | null>(null);
  let typed = $state('');
  const changed = $derived(Object.values(trial.asked).some((value) => value !== null));

  $effect(() => {
    void [plant.configured, axis];
    untrack(() => void trial.ask());
  });

  function type(bound: (typeof BOUNDS)[number], value: string) {
    typing = bound;
    typed = value;
    trial.set(bound, value.trim() || null);
  }
</script>

<section aria-label="Trial move">
  <div class="row head">
    <h2>Trial move</h2>
    <span class="quiet">{changed ? 'as set here' : (trial.proposal?.why[0] ?? '')}</span>
    <span class="wide"></span>
    {#if changed}<button class="plain" onclick={() => trial.reset()}>As proposed</button>{/if}
  </div>
  {#if curve}
    <div class="bounds">
      {#each BOUNDS as bound (bound)}
        <label
          >{LABELS[bound]}
          <span class="row"
            ><input
              class="mono"
              class:bad={typing === bound && trial.problem !== ''}
              value={typing === bound ? typed : String(curve[bound])}
              oninput={(event) => type(bound, event.currentTarget.value)}
              onblur={() => (typing = null)}
            /><span class="unit">{units[bound]}</span></span
          ></label
        >
      {/each}
      <p class="quiet">
        {#if trial.problem}<span class="problem">{trial.problem}</span>{:else}{curve.says ||
            [
              ...(changed ? [] : (trial.proposal?.why.slice(1) ?? [])),
              ...(trial.lead
                ? [`first ${shown(trial.lead)} ${units.distance} back and forth, for the play`]
                : []),
            ].join('; ')}{/if}
      </p>
    </div>
    <TrialCurve
      {trial}
      {curve}
      unit={units.distance}
      speedUnit={units.speed}
      trace={live.told?.command.startsWith('Move') ? live.told.trace : []}
    />
    <Ready
      {plant}
      {live}
      move={curve.distance}
      speed={curve.speed}
      unit={units.distance}
      speedUnit={units.speed}
      {method}
      endless={plant.row('axes', axis)?.kind === 'endless'}
      onstart={() => void start()}
    />
    <Tape {plant} {axis} asked={curve.distance} unit={units.distance} {live} {began} />
  {:else if trial.problem}
    <p class="problem">{trial.problem}</p>
  {:else}
    <p class="quiet">
      A trial move is proposed as soon as the chain is whole and the axis has a highest speed and an
      acceleration.
    </p>
  {/if}
</section>

<style>
  section {
    margin-top: var(--s5);
  }
  .head {
    align-items: baseline;
  }
  .bounds {
    display: flex;
    gap: var(--s5);
    align-items: end;
    margin: var(--s3) 0;
  }
  label {
    display: grid;
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  input {
    width: 92px;
    text-align: right;
  }
  .bounds p {
    flex: 1;
    font-size: var(--f-note);
  }
  .problem {
    color: var(--bracken);
  }
  .bad {
    border-color: var(--bracken);
  }
</style>
