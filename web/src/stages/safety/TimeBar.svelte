<script lang="ts">
  import { shown } from '../../kit/numbers';
  import Bars from './Bars.svelte';
  import { behind, laid, stopping } from './pieces';
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
    const own = laid(told.time.segments, 0);
    const fault = ['fault', told.time.fault_ms, 'what a watchdog may cost'] as const;
    const rest = [fault, ...stopping(told.time.delay_ms, told.time.stop_ms)];
    return [...own, ...behind(rest, own.at(-1)?.to ?? 0)];
  });
</script>

<svg width={W} height="22" viewBox="0 0 {W} 22" role="img" aria-label={label}>
  <line class="base" x1="1" x2={W - 1} y1="17" y2="17" />
  <Bars {pieces} {x} top={5} height={10} />
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
  .asked {
    stroke: var(--bracken);
    stroke-width: 2;
    fill: none;
  }
</style>
