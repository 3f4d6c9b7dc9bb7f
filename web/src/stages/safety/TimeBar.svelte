<script lang="ts">
  import { shown } from '../../kit/numbers';
  import type { FunctionTold } from './safetyWork.svelte';

  /** From demand to standstill, drawn to time: each segment, what the watchdog may cost, the stop, and what is asked. */
  let {
    told,
    asked,
    most,
    label,
  }: { told: FunctionTold; asked: number | null; most: number; label: string } = $props();

  const W = 320;
  const x = (ms: number) => (most ? (ms / most) * (W - 2) + 1 : 1);
  const pieces = $derived.by(() => {
    const found: { kind: string; from: number; to: number; says: string }[] = [];
    let at = 0;
    const put = (kind: string, ms: number | null | undefined, says: string) => {
      if (!ms) return;
      found.push({ kind, from: at, to: at + ms, says: `${says}: ${shown(ms, 5)} ms` });
      at += ms;
    };
    for (const one of told.time.segments) put(one.kind, one.worst_ms, one.label);
    put('fault', told.time.fault_ms, 'what a watchdog may cost');
    put('delay', told.time.delay_ms, 'brakes before the supply goes');
    put('stop', told.time.stop_ms, 'the machine stops');
    return found;
  });
</script>

<svg width={W} height="22" viewBox="0 0 {W} 22" role="img" aria-label={label}>
  <line class="base" x1="1" x2={W - 1} y1="17" y2="17" />
  {#each pieces as piece, n (n)}
    <rect
      class={piece.kind}
      x={x(piece.from)}
      y={piece.kind === 'stop' || piece.kind === 'delay' ? 8 : 5}
      width={Math.max(x(piece.to) - x(piece.from) - 0.5, 0.8)}
      height={piece.kind === 'stop' || piece.kind === 'delay' ? 6 : 9}
      ><title>{piece.says}</title></rect
    >
  {/each}
  {#if asked !== null}
    <path class="asked" d="M{x(asked)},1 v20"><title>asked: {shown(asked, 5)} ms</title></path>
  {/if}
</svg>

<style>
  svg {
    display: block;
  }
  .base {
    stroke: var(--rule-2);
  }
  rect {
    fill: var(--tarn);
  }
  .link {
    fill: var(--ink-3);
  }
  .logic {
    fill: var(--heather);
  }
  .fault {
    fill: var(--gorse-tint);
    stroke: var(--gorse);
    stroke-width: 1;
  }
  .delay {
    fill: var(--tarn-tint);
    stroke: var(--tarn);
  }
  .stop {
    fill: var(--ink-2);
  }
  .asked {
    stroke: var(--bracken);
    stroke-width: 2;
    fill: none;
  }
</style>
