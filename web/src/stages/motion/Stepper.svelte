<script lang="ts">
  import { got, http, Problem, type PartResult } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';

  /** A stepping axis: its pulses beside what bounds them, the driver's switches, and which wires are a coil. */
  let {
    told,
    chain,
  }: {
    told: PartResult<'axis.stepper'>;
    chain: PartResult<'axis.chain'> | undefined;
  } = $props();

  let width = $state(640);
  const LEFT = 8;
  // Frequencies on one line, each ten times as far as the one before.
  const DECADES = [10, 100, 1000, 10_000, 100_000];
  const x = (hz: number) =>
    LEFT + (Math.log10(Math.min(Math.max(hz, 10), 300_000) / 10) / 4.5) * (width - 2 * LEFT - 60);
  const ticks = $derived(
    [
      { hz: told.starts_hz, words: 'starts without ramp', kind: 'start', row: 0 },
      { hz: told.most_hz, words: 'output', kind: 'most', row: 1 },
      { hz: told.hz, words: 'highest speed', kind: 'asked', row: 2 },
    ].filter((t): t is { hz: number; words: string; kind: string; row: number } => t.hz !== null),
  );

  // Resistances between wires 1–2, 1–3, 1–4, 2–3, 2–4, 3–4, and where the wires stand as corners.
  const WAYS = [
    [0, 1],
    [0, 2],
    [0, 3],
    [1, 2],
    [1, 3],
    [2, 3],
  ] as const;
  const AT = [
    [22, 18],
    [178, 18],
    [178, 122],
    [22, 122],
  ] as const;
  let ohms = $state(['', '', '', '', '', '']);
  let pairs = $state.raw<number[][]>([]);
  let problem = $state('');
  let count = 0;
  const typed = $derived(ohms.some((each) => each.trim()));

  $effect(() => {
    const body = { ohms: ohms.map((each) => each) };
    const mine = ++count;
    if (!typed) {
      pairs = [];
      problem = '';
      return;
    }
    http
      .POST('/api/coils', { body })
      .then((answer) => {
        if (mine !== count) return;
        pairs = got(answer).pairs;
        problem = '';
      })
      .catch((error: unknown) => {
        if (mine === count) problem = error instanceof Problem ? error.detail : '';
      });
  });
  const coil = (one: number, other: number) =>
    pairs.some((pair) => pair[0] === one + 1 && pair[1] === other + 1);
</script>

{#snippet switches(pattern: string, words: string)}
  <span class="bank" role="img" aria-label="{words}: {pattern || 'none'}">
    {#each pattern as state, n (n)}<span class="switch" class:on={state === '1'}
        ><b>{state === '1' ? 'on' : ''}</b><i>{n + 1}</i></span
      >{:else}<span class="quiet">no such setting</span>{/each}
    <span class="quiet">{words}</span>
  </span>
{/snippet}

<section aria-label="Pulses">
  <div class="row head">
    <h2>Pulses</h2>
    <span class="quiet"
      ><span class="mono">{shown(told.pulses_a_turn)}</span> a turn,
      <span class="mono">{told.pulses_a_unit}</span> per {chain?.unit}{told.output
        ? `, from ${told.output}, direction ${told.direction}`
        : ''}</span
    >
  </div>
  <div bind:clientWidth={width}>
    <svg {width} height="78" role="img" aria-label="Frequencies">
      <line class="axis" x1={LEFT} x2={width - LEFT} y1="60" y2="60" />
      {#each DECADES as hz (hz)}
        <line class="axis" x1={x(hz)} x2={x(hz)} y1="56" y2="64" />
        <text x={x(hz)} y="76" text-anchor={hz === 10 ? 'start' : 'middle'}
          >{hz >= 1000 ? `${hz / 1000} kHz` : `${hz} Hz`}</text
        >
      {/each}
      {#each ticks as tick (tick.kind)}
        <line
          class={tick.kind}
          class:over={tick.kind === 'asked' && told.most_hz !== null && tick.hz > told.most_hz}
          x1={x(tick.hz)}
          x2={x(tick.hz)}
          y1={6 + tick.row * 16}
          y2="60"
        />
        <text class="mono" x={x(tick.hz) + 5} y={14 + tick.row * 16}
          >{tick.words} {shown(tick.hz)} Hz</text
        >
      {/each}
    </svg>
  </div>
  {#if told.driver}
    <div class="row driver">
      <b>{told.driver}</b>
      {@render switches(told.microstep_switches, 'microsteps')}
      {@render switches(
        told.current_switches,
        told.current_peak !== null ? `${shown(told.current_peak)} A peak` : 'current not set',
      )}
      {#if told.rated_peak !== null}<span class="quiet"
          >the motor bears {shown(told.rated_peak, 3)} A peak</span
        >{/if}
    </div>
  {/if}
  {#if told.timed.length}
    <p class="quiet">
      Made by a program's timer: {#each told.timed as one, n (one.periods)}{n ? ', ' : ''}<span
          class="mono">{shown(one.speed, 3)} {chain?.speed_unit}</span
        >{/each} and slower.
    </p>
  {/if}
  <details>
    <summary>Which wires are a coil</summary>
    <div class="coils">
      <svg width="200" height="140" role="img" aria-label="The four wires and their coils">
        {#each WAYS as [one, other], n (n)}
          <line
            class="between"
            class:coil={coil(one, other)}
            x1={AT[one][0]}
            y1={AT[one][1]}
            x2={AT[other][0]}
            y2={AT[other][1]}
          />
        {/each}
        {#each AT as [cx, cy], n (n)}
          <circle {cx} {cy} r="12" />
          <text x={cx} y={cy + 4} text-anchor="middle">{n + 1}</text>
        {/each}
      </svg>
      <div>
        {#each WAYS as [one, other], n (n)}
          <label
            >{one + 1} – {other + 1}
            <input class="mono" bind:value={ohms[n]} placeholder="open" /><span class="unit">Ω</span
            ></label
          >
        {/each}
      </div>
      <p>
        {#if problem}<span class="problem">{problem}</span>
        {:else if pairs.length}<Mark state="good" />
          {pairs.map((pair) => `${pair[0]} and ${pair[1]}`).join(', ')} are the coils.
        {:else if typed}Not two coils yet: just two of the six are closed, and they share no wire.
        {:else}Measure between each two wires and type what you read; nothing where it is open.{/if}
      </p>
    </div>
  </details>
</section>

<style>
  section {
    margin-top: var(--s5);
  }
  .head {
    align-items: baseline;
  }
  svg {
    display: block;
  }
  .axis {
    stroke: var(--ink-3);
  }
  .start {
    stroke: var(--gorse);
    stroke-width: 2;
  }
  .most {
    stroke: var(--bracken);
    stroke-width: 2;
  }
  .asked {
    stroke: var(--lichen);
    stroke-width: 3;
  }
  .over {
    stroke: var(--bracken);
    stroke-dasharray: 4 3;
  }
  text {
    fill: var(--ink-2);
    font-size: var(--f-small);
  }
  .driver {
    align-items: center;
    gap: var(--s5);
    margin: var(--s3) 0;
  }
  .bank {
    display: inline-flex;
    align-items: center;
    gap: var(--s1);
  }
  .switch {
    display: inline-grid;
    width: 20px;
    height: 32px;
    border: 1px solid var(--ink-2);
    grid-template-rows: 1fr 1fr;
    text-align: center;
    font-size: var(--f-tiny);
    background: linear-gradient(var(--ink-2), var(--ink-2)) no-repeat center bottom / 100% 50%;
  }
  .switch.on {
    background: linear-gradient(var(--tarn), var(--tarn)) no-repeat center top / 100% 50%;
  }
  .switch b {
    color: var(--on-strong);
    font-weight: 400;
  }
  .switch i {
    font-style: normal;
    color: var(--on-strong);
  }
  .switch.on i {
    color: var(--ink);
  }
  .bank > .quiet {
    margin-left: var(--s2);
  }
  .coils {
    display: flex;
    gap: var(--s6);
    align-items: start;
    margin-top: var(--s3);
  }
  .coils label {
    display: block;
    margin-bottom: var(--s1);
  }
  .coils input {
    width: 74px;
    text-align: right;
  }
  .between {
    stroke: var(--rule-2);
    stroke-dasharray: 3 4;
  }
  .coil {
    stroke: var(--tarn);
    stroke-width: 5;
    stroke-dasharray: none;
  }
  circle {
    fill: var(--leaf);
    stroke: var(--ink);
  }
  summary {
    font-size: var(--f-note);
    color: var(--ink-2);
    cursor: pointer;
  }
  .problem {
    color: var(--bracken);
  }
</style>
