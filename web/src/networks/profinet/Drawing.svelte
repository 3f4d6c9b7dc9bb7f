<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { plural, shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';

  /** Who is called how and where, in which of its send clocks each is sent to, and of what its worst arrival is made. */
  let {
    plant,
    network,
    controller,
    onchoose,
  }: {
    plant: PlantStore;
    network: string;
    controller: string;
    onchoose: (station: string) => void;
  } = $props();

  type Station = PartResult<'profinet.network'>['stations'][number];

  const told = $derived(plant.part('profinet.network', network));
  const owner = $derived(plant.row('controllers', controller)?.name ?? '');
  const CLOCKS_AT_MOST = 64;
  const clocks = $derived(
    Math.min(Math.max(1, ...(told?.stations ?? []).map((one) => one.ratio)), CLOCKS_AT_MOST),
  );
  const latest = $derived(told?.latest_ms || 1);

  /** The send clocks in which a station is sent to, as far as they are drawn. */
  function marks(one: Station): string {
    let path = '';
    for (let at = one.phase; at < clocks; at += one.ratio) path += `M${at} 0h0.7v1h-0.7z`;
    return path;
  }

  const worst = (one: Station) =>
    one.frames.reduce((a, b) => (b.arrives_ms > a.arrives_ms ? b : a));
  const parts = (one: Station) => {
    const frame = worst(one);
    return [
      { key: 'together', ms: frame.together_ms, label: 'all frames of one direction, one by one' },
      { key: 'again', ms: frame.again_ms, label: `sent again by ${plural(one.passed, 'device')}` },
      { key: 'waits', ms: frame.waits_ms, label: 'behind a full frame of others at each' },
      { key: 'delay', ms: frame.delay_ms, label: 'cable and passing on' },
    ].filter((part) => part.ms > 0);
  };
  const brief = (ms: number) => (ms < 1 ? `${shown(1000 * ms, 3)} µs` : `${shown(ms, 3)} ms`);
  const broken = $derived(Math.max(0, ...(told?.stations ?? []).map((one) => one.ring_ms ?? 0)));
  const range = $derived(
    told?.first || told?.last
      ? `${told.first || 'the first'} to ${told.last || 'the last of the subnet'}`
      : 'the whole subnet',
  );
</script>

{#if told && told.stations.length}
  <section aria-label="Names and frames">
    <p class="quiet">
      {owner}, on the network <span class="mono">{told.controller}</span>, finds each by its name,
      gives it its address (from {range}) and sends every
      <span class="mono">{shown(told.clock_ms)} ms</span>. Latest arrival
      <strong class="mono">{brief(told.latest_ms)}</strong>{#if broken}; when a ring breaks, up to
        <span class="mono">{shown(broken)} ms</span> without a frame behind it{/if}.
    </p>
    <div class="heads quiet">
      <span>Name of station</span><span>Address</span>
      <span>Sent to in which of {clocks} send clocks</span>
      <span>Arrives at worst after</span>
    </div>
    <ol>
      {#each told.stations as one (one.station)}
        <li>
          <button
            class="plain name mono"
            class:made={!one.named}
            title={one.named
              ? `${one.name}: set`
              : `${one.name}: made of what it is called in the plant`}
            onclick={() => onchoose(one.station)}>{one.name}</button
          >
          <span class="mono">{one.address || '–'}</span>
          <svg
            viewBox="0 0 {clocks} 1"
            preserveAspectRatio="none"
            role="img"
            aria-label="every {shown(one.update_ms)} ms, from send clock {one.phase} on"
          >
            <path d={marks(one)} />
          </svg>
          <span class="worst">
            <span
              class="bar"
              title={parts(one)
                .map((p) => `${brief(p.ms)} ${p.label}`)
                .join('\n')}
            >
              {#each parts(one) as part (part.key)}<i
                  class={part.key}
                  style:width="{(100 * part.ms) / latest}%"
                ></i>{/each}
            </span>
            <span class="mono quiet"
              >{brief(worst(one).arrives_ms)} of {shown(one.update_ms)} ms{one.ring_ms
                ? ' · ring'
                : ''}</span
            >
          </span>
        </li>
      {/each}
    </ol>
    <p class="quiet key">
      <span><i class="together"></i> all of one direction, one by one</span>
      <span><i class="again"></i> itself, sent again</span>
      <span><i class="waits"></i> behind a full frame at each</span>
      <span><i class="delay"></i> cable and passing on</span>
    </p>
  </section>
{/if}

<style>
  section {
    margin: var(--s4) 0;
    font-size: var(--f-note);
  }
  p {
    margin: 0 0 var(--s3);
  }
  .heads,
  li {
    display: grid;
    grid-template-columns: 150px 110px 1fr minmax(280px, 1.2fr);
    gap: var(--s5);
    align-items: center;
  }
  .heads {
    font-size: var(--f-small);
  }
  ol {
    margin: 0;
    padding: 0;
    list-style: none;
    max-height: 280px;
    overflow-y: auto;
  }
  li {
    height: 24px;
    border-top: 1px solid var(--rule);
    content-visibility: auto;
  }
  .name {
    padding: 0;
    text-align: left;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-weight: 600;
  }
  .made {
    font-weight: 400;
    color: var(--ink-2);
  }
  svg {
    width: 100%;
    height: 12px;
    background: var(--leaf);
    border: 1px solid var(--rule);
  }
  path {
    fill: var(--tarn);
  }
  .worst {
    display: grid;
    grid-template-columns: 1fr 170px;
    gap: var(--s3);
    align-items: center;
  }
  .bar {
    display: flex;
    height: 12px;
    background: var(--sunk);
  }
  .bar i {
    min-width: 1px;
  }
  .together {
    background: var(--tarn);
  }
  .again {
    background: var(--lichen);
  }
  .waits {
    background: var(--gorse);
  }
  .delay {
    background: var(--heather);
  }
  .key {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2) var(--s5);
    margin-top: var(--s2);
    font-size: var(--f-small);
  }
  .key i {
    display: inline-block;
    width: 10px;
    height: 10px;
  }
</style>
