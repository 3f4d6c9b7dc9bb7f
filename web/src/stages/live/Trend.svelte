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

  const tenth = (x: number) => Math.round(x * 10) / 10;
  const drawn = $derived.by(() => {
    const end = points.at(-1)?.t ?? 0;
    const seen = points.filter((p) => p.t >= end - seconds);
    let [low, high] = [Infinity, -Infinity];
    for (const { v } of seen) {
      if (v < low) low = v;
      if (v > high) high = v;
    }
    const span = high - low || 1;
    const y = (v: number) => (high === low ? height / 2 : 2 + ((high - v) / span) * (height - 4));
    let path = '';
    let [before, kept] = [NaN, false];
    for (const [n, p] of seen.entries()) {
      // Of what stays the same, the two ends.
      const same = p.v === before && seen[n + 1]?.v === before;
      before = p.v;
      if (same) continue;
      path += `${kept ? 'L' : 'M'}${tenth(((p.t - end) / seconds + 1) * width)} ${tenth(y(p.v))}`;
      kept = true;
    }
    return path;
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
