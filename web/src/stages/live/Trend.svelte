<script lang="ts">
  /** The last seconds of a value as a line. */
  let {
    points,
    seconds = 15,
    width = 200,
    height = 24,
  }: {
    points: { t: number; v: number }[];
    seconds?: number;
    width?: number;
    height?: number;
  } = $props();

  const drawn = $derived.by(() => {
    const end = points.at(-1)?.t ?? 0;
    const seen = points.filter((p) => p.t >= end - seconds);
    const low = Math.min(...seen.map((p) => p.v));
    const high = Math.max(...seen.map((p) => p.v));
    const span = high - low || 1;
    const y = (v: number) => (high === low ? height / 2 : 2 + ((high - v) / span) * (height - 4));
    return seen
      .map(
        (p, n) =>
          `${n ? 'L' : 'M'}${(((p.t - end) / seconds + 1) * width).toFixed(1)} ${y(p.v).toFixed(1)}`,
      )
      .join('');
  });
</script>

<svg {width} {height} aria-hidden="true"><path d={drawn} /></svg>

<style>
  svg {
    display: block;
  }
  path {
    fill: none;
    stroke: var(--tarn);
    stroke-width: 1.4;
  }
</style>
