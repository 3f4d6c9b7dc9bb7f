<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { shown } from '../../kit/numbers';

  /** A command on its way: the program's word, the packets with one lost, the drive's own looks, what comes back. */
  let { told }: { told: PartResult<'axis.handover'> } = $props();

  let width = $state(640);
  const LEFT = 118;
  const LANE = 26;
  const end = $derived(Math.max(2 * told.hold, told.told ?? 0) * 1.06);
  const x = (ms: number) => LEFT + (ms / end) * (width - LEFT - 12);
  const lanes = $derived(
    ['the program', 'packets', 'the drive looks', told.told === null ? '' : 'it tells'].filter(
      Boolean,
    ),
  );
  const y = (lane: number) => 22 + lane * LANE;
  const words = $derived(
    {
      nothing: 'the drive goes on',
      stops: 'it stops',
      interrupts: 'the move is broken off',
    }[told.start_taken] ?? '',
  );
</script>

<figure bind:clientWidth={width}>
  <svg {width} height={y(lanes.length) + 14} role="img" aria-label="Hand-over of a command in time">
    {#each lanes as lane, n (lane)}
      <text x="0" y={y(n) + 5}>{lane}</text>
      <line class="lane" x1={LEFT} x2={width - 8} y1={y(n) + 9} y2={y(n) + 9} />
    {/each}
    <!-- It stands, and then its idle as long. -->
    <path class="word" d="M{x(0)},{y(0) + 9} v-16 H{x(told.hold)} v16 H{x(2 * told.hold)}" />
    <path class="bracket" d="M{x(0)},12 v-6 H{x(told.hold)} v6" />
    <text class="mono over" x={x(0) + 6} y={y(0) + 4}>{told.word} {shown(told.hold)} ms</text>
    <text class="mono idle" x={x(told.hold) + 6} y={y(0) + 4}>idle {shown(told.hold)} ms</text>
    {#each told.packets as packet (packet.at)}
      {#if packet.lost}
        <path class="lost" d="M{x(packet.at) - 4},{y(1) - 6} l8,8 m0,-8 l-8,8" />
        <text class="lost" x={x(packet.at) + 8} y={y(1) + 4}>lost</text>
      {:else}
        <line class="packet" x1={x(packet.at)} x2={x(packet.at)} y1={y(1) - 6} y2={y(1) + 9} />
      {/if}
    {/each}
    {#each told.looks as look (look)}
      {#if look >= 0 && look <= end}
        <circle class:sees={look === told.seen} cx={x(look)} cy={y(2) + 3} r="3" />
      {/if}
    {/each}
    <text class="mono" x={x(told.seen) + 6} y={y(2) + 1}>seen {shown(told.seen)}</text>
    {#if told.told !== null}
      <path class="word back" d="M{x(told.seen)},{y(3) + 9} v-12 H{x(end)}" />
      <line class="told" x1={x(told.told)} x2={x(told.told)} y1={y(3) - 6} y2={y(3) + 9} />
      <text class="mono" x={x(told.told) + 5} y={y(3) + 1}>known {shown(told.told)}</text>
    {/if}
  </svg>
  <figcaption class="quiet">
    Exchanged every {shown(told.interval)} ms, the drive looks every {shown(told.scan)} ms, the task runs
    every {shown(told.task)} ms: with one packet lost {told.word} has to stand {shown(told.hold)} ms,
    and be gone as long before the next. Taken away, {words}.
  </figcaption>
</figure>

<style>
  figure {
    margin: var(--s4) 0 0;
  }
  svg {
    display: block;
    overflow: visible;
  }
  text {
    fill: var(--ink-2);
    font-size: var(--f-small);
  }
  .lane {
    stroke: var(--rule);
  }
  .word {
    fill: none;
    stroke: var(--tarn);
    stroke-width: 2;
  }
  .back {
    stroke: var(--lichen);
  }
  .bracket {
    fill: none;
    stroke: var(--ink-3);
  }
  .packet {
    stroke: var(--ink);
    stroke-width: 2;
  }
  path.lost {
    stroke: var(--bracken);
    stroke-width: 2;
    fill: none;
  }
  text.lost {
    fill: var(--bracken);
  }
  circle {
    fill: var(--paper);
    stroke: var(--ink-3);
  }
  .sees {
    fill: var(--tarn);
    stroke: var(--tarn);
  }
  .told {
    stroke: var(--heather);
    stroke-width: 2;
  }
  figcaption {
    font-size: var(--f-note);
  }
</style>
