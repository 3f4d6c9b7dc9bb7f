<script lang="ts">
  import { shown } from '../../kit/numbers';
  import Bars from './Bars.svelte';
  import { behind, laid, stopping, type Piece } from './pieces';
  import type { Lane, SafetyWork, Segment, FunctionTold } from './safetyWork.svelte';

  /**
   * Every lane of a function on one axis of time that ends at the latest standstill: demands seen, the logic, what is
   * stopped. The way that takes longest is the one in full ink.
   */
  let { work, told, asked }: { work: SafetyWork; told: FunctionTold; asked: number | null } =
    $props();

  let width = $state(0);
  const W = $derived(Math.max(width, 200));
  const sum = (segments: Segment[]) => segments.reduce((all, one) => all + (one.worst_ms ?? 0), 0);
  const before = $derived(Math.max(0, ...told.sensors.map((lane) => sum(lane.segments))));
  const decided = $derived(before + (told.logic.worst_ms ?? 0) + told.time.fault_ms);
  const ends = (lane: Lane) => decided + sum(lane.segments) + lane.delay_ms + (lane.stop_ms ?? 0);
  const last = $derived(Math.max(asked ?? 0, decided, ...told.actuators.map(ends)));
  const x = (ms: number) => 2 + (last ? (ms / last) * (W - 6) : 0);

  const sensor = (lane: Lane) => laid(lane.segments, before - sum(lane.segments));
  function actuator(lane: Lane): Piece[] {
    const pieces = laid(lane.segments, decided);
    return [
      ...pieces,
      ...behind(stopping(lane.delay_ms, lane.stop_ms), pieces.at(-1)?.to ?? decided),
    ];
  }
  const own = (lane: Lane) =>
    lane.segments.find((one) => one.kind === 'sensor' || one.kind === 'actuator');
  const wired = (lane: Lane) =>
    lane.problem ||
    (lane.segments.find((one) => one.kind === 'input' || one.kind === 'output')?.label ?? '');
  const written = (lane: Lane) =>
    lane.segments.some((one) => one.worst_ms == null) || (lane.stop_ms == null && stops(lane))
      ? '?'
      : shown(sum(lane.segments) + lane.delay_ms + (lane.stop_ms ?? 0), 5);
  const stops = (lane: Lane) => own(lane)?.kind === 'actuator';
</script>

{#snippet bars(pieces: Piece[])}
  <Bars {pieces} {x} top={7} height={14} words />
  {#if asked !== null}<path class="asked" d="M{x(asked)},-4 v36" />{/if}
{/snippet}

{#snippet line(lane: Lane, worst: boolean, pieces: Piece[])}
  {@const part = own(lane)}
  <button
    class="lane plain"
    class:worst
    class:chosen={work.chosen?.id === lane.part}
    aria-pressed={work.chosen?.id === lane.part}
    onclick={() => work.open(work.current?.id ?? '', lane.part)}
  >
    <span class="who">
      <strong title={part?.label}>{part?.label}</strong>
      <span class="quiet" class:problem={lane.problem !== ''} title={wired(lane)}
        >{wired(lane)}</span
      >
    </span>
    <span class="drawn"
      ><svg width={W} height="28" aria-hidden="true">{@render bars(pieces)}</svg></span
    >
    <span class="mono number">{written(lane)} ms</span>
  </button>
{/snippet}

<div class="way">
  <div class="measure" aria-hidden="true"><span bind:clientWidth={width}></span></div>
  <p class="group">A demand at any of</p>
  {#each told.sensors as lane (lane.part)}
    {@render line(lane, lane.part === told.time.sensor, sensor(lane))}
  {:else}<p class="quiet none">no sensor yet</p>{/each}
  <p class="group">is seen by</p>
  <div class="lane worst">
    <span class="who">
      <strong>{told.logic.label}</strong>
      <span class="quiet" title={told.logic.says}>{told.logic.says}</span>
    </span>
    <span class="drawn"
      ><svg width={W} height="28" aria-hidden="true"
        >{@render bars([
          ...laid([told.logic], before),
          {
            kind: 'fault',
            from: before + (told.logic.worst_ms ?? 0),
            to: decided,
            says: `what the longest watchdog costs: ${shown(told.time.fault_ms, 5)} ms`,
          },
        ])}</svg
      ></span
    >
    <span class="mono number" title="with what the longest watchdog costs once something is lost"
      >{shown((told.logic.worst_ms ?? 0) + told.time.fault_ms, 5)} ms</span
    >
  </div>
  <p class="group">which stops all of</p>
  {#each told.actuators as lane (lane.part)}
    {@render line(lane, lane.part === told.time.actuator, actuator(lane))}
  {:else}<p class="quiet none">nothing yet</p>{/each}
</div>

<style>
  .way {
    border-block: 1px solid var(--rule);
    padding: var(--s2) 0;
    position: relative;
  }
  .group {
    color: var(--ink-2);
    font-size: var(--f-note);
    padding: var(--s2) var(--s3) 0;
  }
  .none {
    padding: var(--s2) var(--s3);
  }
  .lane,
  .measure {
    display: grid;
    grid-template-columns: 264px minmax(0, 1fr) 66px;
    gap: var(--s4);
    align-items: center;
    width: 100%;
    padding: 0 var(--s3);
    text-align: left;
    font-weight: 400;
  }
  .measure {
    height: 0;
  }
  .measure span {
    grid-column: 2;
  }
  .who {
    display: grid;
    line-height: 1.2;
    min-width: 0;
  }
  .who > * {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .who .quiet {
    font-size: var(--f-small);
  }
  .who .problem {
    color: var(--bracken);
  }
  .chosen {
    background: var(--leaf);
    box-shadow: inset 3px 0 0 var(--heather);
  }
  .number {
    text-align: right;
  }
  svg {
    display: block;
    overflow: visible;
  }
  .lane:not(.worst) svg :global(rect) {
    opacity: 0.45;
  }
  .asked {
    stroke: var(--bracken);
    stroke-width: 2;
  }
</style>
