<script lang="ts">
  import Mark from '../../../kit/Mark.svelte';
  import { shown } from '../../../kit/numbers';
  import Rehearsal from '../Rehearsal.svelte';
  import type { ScannerWork } from './scannerWork.svelte';
  import type { Point } from './shapes';
  import type { SafetyLive } from '../safetyLive.svelte';

  /** The scanner on the bench: its inputs, its outputs, and somebody who walks in. */
  let {
    work,
    live,
    path,
    marking,
    onmark,
  }: {
    work: ScannerWork;
    live: SafetyLive;
    /** Where somebody walks, as it was marked in the plan. */
    path: Point[];
    marking: boolean;
    onmark: (begin: boolean) => void;
  } = $props();

  const plant = $derived(work.plant);
  const own = $derived(work.current);
  const told = $derived(plant.bench.running && own ? live.told?.scanners[own.id] : undefined);
  /** Inputs whose signals go another way than over the controller's own outputs: here they are moved by hand. */
  const elsewhere = $derived(
    (own ? (plant.part('scanner.signals', own.id)?.inputs ?? []) : []).filter(
      (one) => one.signal && !told?.driven.includes(one.number),
    ),
  );
  const bits = $derived(told ? told.pattern.split('') : []);
  const situation = $derived(told?.situation ? told.situation_name : 'none: all off');
  const guard = $derived(
    work.situation
      ? plant
          .part('situation.told', work.situation.id)
          ?.guards.find((one) => one.near && one.hazard)
      : undefined,
  );
  /** From where somebody comes by the way that is nearest to the hazard. */
  const usual = $derived.by((): Point[] => {
    if (!guard?.near || !guard.hazard) return [];
    const near: Point = [guard.near[0]!, guard.near[1]!];
    const open = work.shapes.find((row) => row.kind === 'open');
    const line = (open?.settings?.points ?? []) as Point[];
    const from: Point = line.length
      ? [(line[0]![0] + line[1]![0]) / 2, (line[0]![1] + line[1]![1]) / 2]
      : [near[0], near[1] + 1000];
    return [from, near, [guard.hazard[0]!, guard.hazard[1]!]];
  });
  const walks = $derived(path.length > 1 ? path : usual);
  const flip = (n: number) => {
    if (!own) return;
    const pattern = bits.map((bit, i) => (i === n ? (bit === '1' ? '0' : '1') : bit)).join('');
    void live.do(own.id, 'select', pattern);
  };
  const first = $derived(told?.switched.find((one) => !one.on && one.output === 1));
</script>

<Rehearsal {plant} known={!!told} what="this scanner">
  {#if told && own}
    <div class="row">
      <span class="label">Inputs</span>
      {#each bits as bit, n (n)}
        <button
          class="plain bit"
          aria-pressed={bit === '1'}
          aria-label="Input {n + 1}"
          title={told.driven.includes(n + 1) ? 'An output of the controller drives it' : undefined}
          disabled={!plant.mayEdit || told.driven.includes(n + 1)}
          onclick={() => flip(n)}><i class:on={bit === '1'}></i>{n + 1}</button
        >
      {/each}
      <span class="quiet">watches</span> <strong>{situation}</strong>
      <span class="wide"></span>
      {#each Object.entries(told.outputs) as [n, on] (n)}
        <span class="mono"><i class="lamp" class:on></i>output {n} {on ? 'on' : 'off'}</span>
      {/each}
    </div>
    {#if elsewhere.length}
      <p class="quiet">
        Input {elsewhere.map((one) => one.number).join(', ')}: no output of the controller's own
        rail drives
        {elsewhere.length === 1 ? 'it' : 'them'}, so here hands do.
      </p>
    {/if}
    <div class="row">
      <button
        disabled={!plant.mayEdit || walks.length < 2}
        onclick={() => void live.do(own.id, 'walk', walks)}>Somebody walks in</button
      >
      <button
        class="plain"
        aria-pressed={marking}
        disabled={!plant.mayEdit}
        onclick={() => onmark(!marking)}
        >{marking ? 'That is the way' : 'Mark another way in the plan'}</button
      >
      {#if told.person}
        <button class="plain" onclick={() => void live.do(own.id, 'leave')}>Is gone</button>
        {#if first}
          <span class="mono">output 1 off {shown(first.ms, 4)} ms after setting out</span>
        {:else}<span class="mono quiet">walks at 1600 mm/s</span>{/if}
        {#if told.left_mm != null}
          {#if told.left_mm > 0}<strong class="mono"
              >{shown(Math.floor(told.left_mm))} mm from the hazard when all stands</strong
            >{:else}<Mark state="error" word="at the hazard before all stands" />{/if}
        {/if}
      {/if}
    </div>
  {/if}
</Rehearsal>

<style>
  .row {
    flex-wrap: wrap;
    align-items: center;
    min-height: 30px;
  }
  .label {
    color: var(--ink-2);
  }
  i {
    display: inline-block;
    width: 10px;
    height: 10px;
    border: 1px solid var(--ink-2);
    border-radius: 50%;
    margin-right: var(--s2);
  }
  i.on {
    background: var(--ink);
  }
  i.lamp.on {
    background: var(--lichen);
    border-color: var(--lichen);
  }
</style>
