<script lang="ts">
  import { got, http, type Schemas } from '../api/client';
  import type { PlantStore } from '../plant/store.svelte';
  import { shown } from './numbers';

  /** A link's scaling drawn over the counts there can be, with where it is now; the same as Structured Text. */
  let { plant, link, signal }: { plant: PlantStore; link: string; signal: string } = $props();

  const [WIDTH, HEIGHT, LEFT, BOTTOM, TOP] = [274, 132, 44, 30, 8];
  let told = $state.raw<Schemas['CharacteristicOut'] | null>(null);
  let opened = $state(false);
  let copied = $state(false);

  $effect(() => {
    void plant.revision;
    const path = { key: plant.key, link_id: link };
    http
      .GET('/api/plants/{key}/characteristic/{link_id}', { params: { path } })
      .then((answer) => (told = answer.data ? got(answer) : null))
      .catch(() => {});
  });

  const ends = $derived.by(() => {
    const values = told?.points.map((one) => one.value) ?? [];
    return values.length ? [Math.min(...values), Math.max(...values)] : [0, 1];
  });
  const now = $derived(plant.bench.running ? plant.bench.values.get(signal) : undefined);
  const x = (raw: number) => {
    const { low, high } = told?.counts ?? { low: 0, high: 1 };
    return LEFT + ((raw - low) / (high - low || 1)) * (WIDTH - LEFT - 6);
  };
  const y = (value: number) => {
    const [low, high] = [ends[0]!, ends[1]!];
    return HEIGHT - BOTTOM - ((value - low) / (high - low || 1)) * (HEIGHT - BOTTOM - TOP);
  };
  const curve = $derived(
    told?.points.map(
      (one, n) => `${n ? 'L' : 'M'}${x(one.raw).toFixed(1)} ${y(one.value).toFixed(1)}`,
    ) ?? [],
  );
  const nominal = $derived([told?.nominal.low ?? 0, told?.nominal.high ?? 1]);
  /** The value drawn at a count, which is one of the points. */
  const at = (raw: number) => told?.points.find((one) => one.raw >= raw)?.value ?? ends[1]!;
  // Where its counts lie on what is configured: the bench may still run with another scaling.
  const point = $derived(now?.raw != null ? { x: x(now.raw), y: y(at(now.raw)) } : null);

  async function copy() {
    await navigator.clipboard.writeText(told?.text ?? '');
    copied = true;
  }
</script>

{#if told?.points.length}
  <div class="drawn">
    <svg width={WIDTH} height={HEIGHT} role="img" aria-label="Characteristic of the scaling">
      <rect
        class="nominal"
        x={x(nominal[0]!)}
        y={TOP}
        width={x(nominal[1]!) - x(nominal[0]!)}
        height={HEIGHT - BOTTOM - TOP}
      />
      {#each told.marks as mark (mark.label)}
        <line class="limit" x1={x(mark.raw)} x2={x(mark.raw)} y1={TOP} y2={HEIGHT - BOTTOM}
          ><title>{mark.label}: {shown(mark.raw)}</title></line
        >
      {/each}
      <line
        class="axis"
        x1={LEFT}
        x2={WIDTH - 6}
        y1={HEIGHT - BOTTOM + 0.5}
        y2={HEIGHT - BOTTOM + 0.5}
      />
      {#each nominal as raw, n (n)}
        {@const value = at(raw)}
        <text x={LEFT - 4} y={y(value) + 4} text-anchor="end">{shown(value, 4)}</text>
      {/each}
      {#each nominal as raw, n (n)}
        <text x={x(raw)} y={HEIGHT - BOTTOM + 13} text-anchor={n ? 'end' : 'start'}
          >{shown(raw)}</text
        >
      {/each}
      <text class="quiet" x={(LEFT + WIDTH) / 2} y={HEIGHT - 3} text-anchor="middle">counts</text>
      <path d={curve.join('')} />
      {#if point}<circle cx={point.x} cy={point.y} r="4" />{/if}
    </svg>
    <p class="quiet">
      {#if told.resolution != null}One count is <span class="mono">{shown(told.resolution, 3)}</span
        >
        {told.unit} ·
      {/if}<span class="mono">{shown(told.bits, 3)}</span> bits over the span
      {#if told.marks.length}· dotted: NE 43{/if}
      {#if told.text}
        <button class="plain" aria-expanded={opened} onclick={() => (opened = !opened)}
          >Structured Text</button
        >{/if}
    </p>
    {#if told.error}
      <p>
        Errs by <span class="mono">± {shown(told.error.error, 3)}</span>
        {told.unit}{#if told.error.works_at != null}
          {` at ${shown(told.error.works_at)} ${told.unit}`}{#if told.error.of_reading != null},
            that is <span class="mono">{shown(told.error.of_reading, 2)} %</span> of the reading{/if}{:else}
          {` (${shown(told.error.percent, 2)} % of the span)`}{/if}.
      </p>
    {/if}
    {#if opened && told.text}
      <pre>{told.text}</pre>
      <button class="plain" onclick={copy}>{copied ? 'Copied' : 'Copy it'}</button>
    {/if}
  </div>
{/if}

<style>
  .drawn {
    margin: var(--s3) 0 0;
  }
  svg {
    display: block;
    overflow: visible;
  }
  .nominal {
    fill: var(--leaf);
    stroke: var(--rule);
  }
  .axis {
    stroke: var(--rule-2);
  }
  .limit {
    stroke: var(--gorse);
    stroke-dasharray: 2 3;
  }
  path {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  circle {
    fill: var(--tarn);
    stroke: var(--paper);
    stroke-width: 1.5;
  }
  text {
    font-family: var(--mono);
    font-size: var(--f-small);
    fill: var(--ink-2);
  }
  text.quiet {
    font-family: inherit;
  }
  p {
    margin: 0;
    font-size: var(--f-note);
  }
  pre {
    margin: var(--s2) 0;
    padding: var(--s3);
    background: var(--leaf);
    border: 1px solid var(--rule);
    font-size: var(--f-small);
    overflow-x: auto;
    max-height: 260px;
  }
</style>
