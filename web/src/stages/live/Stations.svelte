<script lang="ts">
  import type { Schemas } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import AsBuilt from './AsBuilt.svelte';
  import Diagnoses from './Diagnoses.svelte';
  import Nodes from './Nodes.svelte';
  import { plural, shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';

  /** Stations as they are on the bench: those that fail with all that is known, those that are good in one line. */
  let {
    plant,
    oncable,
    onpower,
  }: {
    plant: PlantStore;
    oncable: (id: string, plugged: boolean) => void;
    onpower: (id: string, powered: boolean) => void;
  } = $props();

  type Live = Schemas['BenchOut']['stations'][number];

  const stations = $derived(plant.bench.state?.stations ?? []);
  // A station whose cable was pulled stays where it was found: the button to plug it back is there.
  const failing = $derived(stations.filter((s) => s.state === 'bad' || !s.cable || !s.power));
  const well = $derived(stations.filter((s) => s.state !== 'bad' && s.cable && s.power));
  const off = $derived(stations.filter((s) => s.parked).length);
  const answering = $derived(well.filter((s) => s.state === 'good').length);
  const waiting = $derived(well.length - answering - off);
  let opened = $state('');
  let building = $state('');

  const mark = (state: string) => (state === 'bad' ? 'error' : state === 'good' ? 'good' : 'idle');
  // Where all of a station's exchanges fail for one reason, it is said once.
  const alike = (station: Live) =>
    station.exchanges.length > 1 &&
    station.exchanges.every((x) => x.state === 'bad' && known(station, x.text));
  /** Whether it is said already, of the station or of one on its rail. */
  const known = (station: Live, text: string) =>
    text === station.text || station.nodes.some((node) => node.text === text);
  const goodAgo = (station: Live) => {
    const last = Math.max(...station.exchanges.map((x) => x.last_good_s ?? -1));
    return last < 0 ? '' : ` · good ${shown(Math.max(0, plant.bench.time - last), 3)} s ago`;
  };
  const times = (station: Live) => station.exchanges.reduce((n, x) => n + x.transactions, 0);
  const failed = (station: Live) => station.exchanges.reduce((n, x) => n + x.failures, 0);
</script>

{#snippet cable(station: Live)}
  {#if plant.mayEdit && !station.everybody}
    <button onclick={() => oncable(station.id, !station.cable)}
      >{station.cable ? 'Pull its cable' : 'Plug it back'}</button
    >
    <button onclick={() => onpower(station.id, !station.power)}
      >{station.power ? 'Take its power' : 'Give it power'}</button
    >
    <button
      class="plain"
      aria-expanded={building === station.id}
      onclick={() => (building = building === station.id ? '' : station.id)}>As built …</button
    >
  {/if}
{/snippet}

{#snippet exchanges(station: Live)}
  {#if alike(station)}
    <p class="exchange">
      <span class="all">{station.exchanges.map((x) => x.name).join(', ')}</span>
      <span class="mono quiet"
        >{plural(times(station), 'time')}, {failed(station)} failed{goodAgo(station)}</span
      >
    </p>
  {/if}
  {#each alike(station) ? [] : station.exchanges as exchange (exchange.id)}
    <p class="exchange">
      <span>{exchange.name}</span>
      <Mark
        state={mark(exchange.state)}
        word={exchange.state !== 'bad'
          ? exchange.text
          : known(station, exchange.text)
            ? 'bad'
            : exchange.text}
      />
      <span class="mono quiet"
        >{plural(exchange.transactions, 'time')}, {exchange.failures} failed{exchange.last_good_s !=
          null && exchange.state === 'bad'
          ? ` · good ${shown(Math.max(0, plant.bench.time - exchange.last_good_s), 3)} s ago`
          : ''}</span
      >
    </p>
  {/each}
{/snippet}

{#if failing.length}
  <section class="cards" aria-label="Stations that fail">
    {#each failing as station (station.id)}
      <article>
        <header class="row">
          <strong>{station.name}</strong>
          <code class="quiet">{station.address}</code>
          <span class="wide"></span>
          {#if plant.mayEdit && !station.everybody && opened !== station.id && station.cable && station.power}<button
              class="plain"
              onclick={() => (opened = station.id)}>Faults …</button
            >{/if}
        </header>
        <p>
          <Mark state={mark(station.state)} word={station.text} />
          {#if !station.cable}<span class="quiet">· cable is out</span>{/if}
          {#if !station.power}<span class="quiet">· without power</span>{/if}
        </p>
        {@render exchanges(station)}
        <Nodes {station} />
        <Diagnoses {plant} {station} />
        {#if !station.cable || !station.power || opened === station.id}
          <div class="faults">{@render cable(station)}</div>
        {/if}
        {#if building === station.id}<AsBuilt {plant} station={station.id} />{/if}
      </article>
    {/each}
  </section>
{/if}
{#if well.length}
  <h2>
    {plural(answering, 'station')}
    {failing.length ? 'that ' : ''}{answering === 1 ? 'answers' : 'answer'}{waiting
      ? `, ${waiting} not asked`
      : ''}{off ? `, ${off} switched off` : ''}
  </h2>
  <section class="lines" class:open={building} aria-label="Stations that answer">
    {#each well as station (station.id)}
      <div class="line">
        <header class="row">
          <Mark state={mark(station.state)} />
          <button
            class="plain name"
            aria-expanded={opened === station.id}
            title="Its exchanges and faults"
            onclick={() => (opened = opened === station.id ? '' : station.id)}
            ><span class="fold" aria-hidden="true">{opened === station.id ? '▾' : '▸'}</span>
            {station.name}</button
          >
          <code class="quiet">{station.address}</code>
          <span class="wide"></span>
          {#if station.diagnoses.length && opened !== station.id}
            {@const first = station.diagnoses[0]!}
            <span class="tells" title={station.diagnoses.map((d) => d.text).join('\n')}
              ><Mark
                state={first.severity === 'error' ? 'error' : 'warning'}
                word={first.text}
              /></span
            >
          {/if}
          <span class="mono quiet count"
            >{station.state === 'good' && station.exchanges.length
              ? `${plural(times(station), 'time')}${failed(station) ? `, ${failed(station)} failed` : ''}`
              : station.text}</span
          >
        </header>
        {#if opened === station.id}
          {@render exchanges(station)}
          <Nodes {station} />
          <Diagnoses {plant} {station} />
          <div class="faults">{@render cable(station)}</div>
          {#if building === station.id}<AsBuilt {plant} station={station.id} />{/if}
        {/if}
      </div>
    {/each}
  </section>
{/if}

<style>
  h2 {
    margin: var(--s4) 0 var(--s1);
  }
  .tells {
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .cards {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(330px, 1fr));
    gap: var(--s4) var(--s5);
    margin: var(--s4) 0;
    align-items: start;
  }
  article {
    border-left: 3px solid var(--bracken);
    padding: var(--s1) 0 var(--s1) var(--s4);
    background: linear-gradient(90deg, var(--bracken-tint), transparent);
  }
  .lines {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(330px, 1fr));
    gap: 0 var(--s6);
    align-items: start;
    max-height: 232px;
    margin-bottom: var(--s4);
    overflow-y: auto;
  }
  /* What is being built has room for all that can be said of it. */
  .open {
    max-height: none;
  }
  .line {
    border-bottom: 1px solid var(--rule);
    padding: var(--s1) 0;
  }
  .line button {
    height: 24px;
    padding: 0 var(--s3);
    font-size: var(--f-note);
    font-weight: 500;
  }
  .line .name {
    font-weight: 600;
    padding: 0;
    border: 0;
  }
  .fold {
    color: var(--ink-2);
    font-size: var(--f-tiny);
  }
  .name:hover {
    text-decoration: underline;
  }
  .faults {
    padding: var(--s1) 0 var(--s3);
    display: flex;
    gap: var(--s3);
  }
  .faults button {
    height: 24px;
    padding: 0 var(--s3);
    font-size: var(--f-note);
  }
  .count {
    font-size: var(--f-small);
    white-space: nowrap;
  }
  .cards :global(.mark) {
    white-space: normal;
    align-items: baseline;
  }
  .cards :global(.mark svg) {
    align-self: start;
    margin-top: var(--s2);
  }
  .exchange {
    display: grid;
    grid-template-columns: 80px 1fr auto;
    gap: var(--s4);
    font-size: var(--f-note);
  }
  .exchange .all {
    grid-column: 1 / 3;
  }
  .exchange .mono {
    text-align: right;
    font-size: var(--f-small);
  }
</style>
