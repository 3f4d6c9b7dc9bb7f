<script lang="ts">
  import type { DeviceType } from '../../api/client';

  /** What a type takes, to one scale shared by all rows: octets in to the left, out to the right, shortest interval as a tick. */
  let { type, octets }: { type: DeviceType; octets: number } = $props();

  const HALF = 48;
  // Octets span three orders of magnitude between a limit switch and a camera: a root keeps both visible.
  const long = $derived((value: number) => Math.sqrt(value / Math.max(octets, 1)) * HALF);
  // 0.1 ms at the left end of the ruler, 1 s at the right, one decade a quarter.
  const tick = $derived(
    type.interval_us == null
      ? null
      : 2 + Math.min(Math.max(Math.log10(Math.max(type.interval_us, 1) / 100), 0), 4) * 11,
  );
</script>

<svg width="150" height="20" aria-hidden="true">
  <rect x={HALF - long(type.in_octets)} y="5" width={long(type.in_octets)} height="10" class="in" />
  <rect x={HALF} y="5" width={long(type.out_octets)} height="10" class="out" />
  <line x1={HALF} x2={HALF} y1="1" y2="19" class="axis" />
  <g transform="translate(102 0)">
    <line x1="2" x2="46" y1="15" y2="15" class="ruler" />
    {#if tick !== null}<line x1={tick} x2={tick} y1="5" y2="15" class="tick" />{/if}
  </g>
</svg>

<style>
  svg {
    display: block;
  }
  .in {
    fill: var(--tarn);
  }
  .out {
    fill: var(--lichen);
  }
  .axis {
    stroke: var(--ink);
  }
  .ruler {
    stroke: var(--rule-2);
  }
  .tick {
    stroke: var(--ink);
    stroke-width: 2;
  }
</style>
