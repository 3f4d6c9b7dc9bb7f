<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { live, shown } from '../../kit/numbers';
  import type { LiveValue } from '../../plant/bench.svelte';
  import { router } from '../../shell/router.svelte';
  import type { PlantStore } from '../../plant/store.svelte';
  import PathInsights from './PathInsights.svelte';
  import SignalUses from './SignalUses.svelte';

  /** A signal's path as a row of hops, and under it the time each takes, to scale. */
  let {
    plant,
    signal,
    path,
    name,
    unit = '',
    now,
    onhop,
  }: {
    plant: PlantStore;
    signal: string;
    path: PartResult<'signal.path'>;
    name: string;
    unit?: string;
    now?: LiveValue | undefined;
    onhop: (place: string) => void;
  } = $props();

  // What is there at this moment at the terminals, in the image and in the program, while the bench runs.
  const wired = $derived(now !== undefined && now.quality !== 'not wired');
  const value = $derived(
    wired && now?.value != null ? `${live(now.value)}${unit ? ` ${unit}` : ''}` : '',
  );
  const counts = $derived(wired && now?.raw != null ? live(now.raw) : '');

  // With several links, the slowest unless another is asked for.
  let wanted = $state('');
  const way = $derived(
    path.ways.find((one) => one.link === wanted) ??
      path.ways.find((one) => one.worst_ms === path.worst_ms),
  );
  const link = $derived(path.links.find((one) => one.link === way?.link) ?? path.links[0]);
  const inward = $derived(link?.area !== 'out');
  // What is read in one place and written here comes from there.
  const source = $derived(
    !inward && path.links[0]?.area === 'in' && way && way.hops.length ? path.links[0] : undefined,
  );
  const field = (one: (typeof path.links)[number]) => one.terminals || one.label.split(',')[0]!;

  const whole = $derived(Math.max(way?.worst_ms ?? 0, path.asked_ms ?? 0, 0.001));
  const parts = $derived.by(() => {
    let at = 0;
    return (way?.hops ?? []).map((hop) => {
      const from = at;
      at += hop.worst_ms;
      return {
        hop,
        from: from / whole,
        typical: hop.typical_ms / whole,
        worst: hop.worst_ms / whole,
      };
    });
  });
</script>

<div class="path">
  <h2>
    Path of {name}: typical <span class="mono">{shown(way?.typical_ms ?? 0, 4)}</span> ms, worst
    <span class="mono">{shown(way?.worst_ms ?? 0, 4)}</span>
    ms
    {#if path.asked_ms != null}<span class="quiet">· asked {shown(path.asked_ms)} ms</span>{/if}
    {#if path.ways.length > 1}
      <label class="quiet"
        >of the link
        <select
          value={way?.link ?? ''}
          onchange={(event) => (wanted = event.currentTarget.value)}
          onkeydown={(event) => event.stopPropagation()}
        >
          {#each path.ways as one (one.link)}
            <option value={one.link}>{path.links.find((l) => l.link === one.link)?.label}</option>
          {/each}
        </select></label
      >
    {/if}
  </h2>
  {#if link}
    <ol>
      {#if inward}
        <li class="end">
          <strong>{field(link)}</strong><span class="quiet">field</span>
          <span class="mono now">{wired ? (now?.electrical ?? '') : ''}</span>
        </li>
      {:else if source}
        <li class="end">
          <strong>{field(source)}</strong><span class="quiet">field, read as {name}</span>
          <span class="mono now">{value}</span>
        </li>
      {:else}
        <li class="end">
          <strong class="mono">{name}</strong><span class="quiet">program</span>
          <span class="mono now">{value}</span>
        </li>
      {/if}
      {#each way?.hops ?? [] as hop (hop.kind + hop.place)}
        <li>
          <button class="plain" onclick={() => onhop(hop.place)}>
            <strong>{hop.label}</strong>
            <span class="quiet">{hop.detail}</span>
            <span class="mono"
              >{shown(hop.typical_ms, 3)} … {shown(hop.worst_ms, 4)}
              <span class="unit">ms</span></span
            >
          </button>
        </li>
      {/each}
      <li class="end">
        {#if inward}<strong class="mono">{name}</strong>{:else}<strong>{field(link)}</strong>{/if}
        {#if link.octet != null}<button
            class="plain at"
            title="Show it in the process image"
            onclick={() =>
              router.go(
                `/p/${plant.key}/signals/image/${link.controller}/${link.area}/${link.octet}`,
              )}>{link.written}</button
          >{/if}
        <span class="mono now"
          >{inward
            ? [counts, value].filter(Boolean).join(' → ')
            : [counts, now?.electrical ?? ''].filter(Boolean).join(' → ')}</span
        >
      </li>
    </ol>
    <svg
      width="100%"
      height="42"
      viewBox="0 0 1000 42"
      preserveAspectRatio="none"
      aria-hidden="true"
    >
      {#each parts as part (part.hop.kind + part.hop.place)}
        <rect
          x={part.from * 1000}
          y="4"
          width={Math.max(part.worst * 1000 - 1, 1)}
          height="16"
          class="worst"
        />
        <rect
          x={part.from * 1000}
          y="4"
          width={Math.max(part.typical * 1000 - 1, 1)}
          height="16"
          class="typical"
        />
      {/each}
      {#if path.asked_ms != null}<line
          x1={(path.asked_ms / whole) * 1000}
          x2={(path.asked_ms / whole) * 1000}
          y1="0"
          y2="24"
          class:late={(way?.worst_ms ?? 0) > path.asked_ms}
        />{/if}
    </svg>
    <div class="labels">
      {#each parts.filter((p) => p.worst > 0.06) as part (part.hop.kind + part.hop.place)}
        <span style:left="{part.from * 100}%" style:width="{part.worst * 100}%"
          >{part.hop.label}</span
        >
      {/each}
    </div>
    <PathInsights {plant} {signal} {path} />
  {:else}
    <p class="quiet">It is not linked yet, so nothing in the field moves it.</p>
  {/if}
  <SignalUses {plant} {signal} />
</div>

<style>
  .at {
    height: auto;
    padding: 0;
    border: 0;
    text-align: left;
    font: var(--f-note) var(--text);
    color: var(--ink-2);
  }
  .at:hover {
    text-decoration: underline;
  }
  .now {
    color: var(--tarn);
    font-size: var(--f-small);
  }
  .path {
    background: var(--sunk);
    border-left: 4px solid var(--heather);
    padding: var(--s4) var(--s5) var(--s3);
    height: 240px;
    overflow: hidden;
  }
  ol {
    list-style: none;
    display: flex;
    gap: var(--s6);
    margin: var(--s4) 0;
    padding: 0;
    overflow-x: auto;
  }
  li {
    position: relative;
    background: var(--leaf);
    border: 1px solid var(--ink);
    padding: var(--s2) var(--s4);
    min-width: 104px;
    display: grid;
    align-content: start;
  }
  li + li::before {
    content: '→';
    position: absolute;
    left: -17px;
    top: 16px;
  }
  li.end {
    border-color: var(--rule-2);
  }
  li button {
    display: grid;
    padding: 0;
    border: 0;
    text-align: left;
    font-weight: 400;
  }
  li span {
    font-size: var(--f-small);
    white-space: nowrap;
  }
  svg {
    height: 26px;
    display: block;
  }
  .worst {
    fill: var(--tarn-tint);
  }
  .typical {
    fill: var(--tarn);
    opacity: 0.65;
  }
  line {
    stroke: var(--lichen);
    stroke-width: 3;
  }
  line.late {
    stroke: var(--bracken);
  }
  .labels {
    position: relative;
    height: 16px;
  }
  .labels span {
    position: absolute;
    font-size: var(--f-small);
    color: var(--ink-2);
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
</style>
