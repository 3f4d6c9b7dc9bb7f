<script lang="ts">
  import { untrack } from 'svelte';
  import type { PartResult } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import { RowsInView } from '../../kit/rows.svelte';
  import { isParked } from '../../plant/parked';
  import type { PlantStore, Row } from '../../plant/store.svelte';

  /** All exchanges of a network, from → to, with the columns of times that its fieldbus tells. */
  let {
    plant,
    kind,
    lines,
    timing,
    controller,
    chosen,
    onchoose,
  }: {
    plant: PlantStore;
    kind: string;
    lines: { station: Row<'stations'>; exchange: Row<'exchanges'> }[];
    timing: PartResult<'network.timing'> | undefined;
    controller: string;
    chosen: string;
    onchoose: (exchange: string) => void;
  } = $props();

  const bus = $derived(plant.catalogue.fieldbuses.find((b) => b.key === kind));
  const columns = $derived(bus?.columns ?? []);
  const shared = $derived(timing?.shape === 'polled-line' || timing?.shape === 'token-cycle');
  const lives = $derived(
    new Map(
      plant.bench.running
        ? plant.bench.state?.stations.flatMap((s) => s.exchanges).map((x) => [x.id, x])
        : [],
    ),
  );
  const times = $derived(new Map(timing?.exchanges.map((e) => [e.exchange, e])));

  // What is made behind another's answer: behind the one before it on the line, or on its own connection.
  const follows = $derived(
    new Map(
      lines.flatMap(({ exchange }, n): [string, string][] => {
        const before = lines[n - 1]?.exchange;
        const chained = exchange.settings?.trigger === 'after' && before !== undefined;
        return chained && (shared || before.connection === exchange.connection)
          ? [[exchange.id, before.name]]
          : [];
      }),
    ),
  );

  // A long list scrolls by itself and draws what is seen of it.
  const ROW = 29;
  const SHORT = 40;
  const HEAD = 30;
  let box = $state<HTMLDivElement>();
  const view = new RowsInView(
    () => lines.length,
    () => ROW,
  );
  const long = $derived(lines.length > SHORT);
  const drawn = $derived(long ? lines.slice(view.first, view.end) : lines);

  $effect(() => {
    const at = lines.findIndex((l) => l.exchange.id === chosen);
    if (long) untrack(() => view.reveal(box, at, HEAD));
  });
  /** Whether it is switched off, itself or with its station. */
  const off = (at: Row<'stations'>, exchange: Row<'exchanges'>) =>
    isParked(at) || isParked(plant.row('connections', exchange.connection));

  type Column = (typeof columns)[number];
  type Told = PartResult<'network.timing'>['exchanges'][number];

  /** What a column has no number for: a time that is not told, or that only the program decides. */
  function instead(column: Column, told: Told | undefined): string {
    if (!told) return '–';
    if (column.figure === 'period_ms') return told.period_ms ? '' : 'on demand';
    if (column.figure === 'transaction_ms') return told.transaction_ms ? '' : '–';
    if (column.figure === 'worst_late_ms' && !(told.period_ms && told.transaction_ms)) return '–';
    return told[column.figure] === null ? 'for ever' : '';
  }

  /** Where lateness was not followed until it repeats, it is at least so much. */
  function atLeast(column: Column): string {
    const whole =
      (column.figure !== 'worst_late_ms' || timing?.whole) &&
      (column.figure !== 'late_one_silent_ms' || timing?.whole_one_silent);
    return whole ? '' : '≥ ';
  }

  function hint(column: Column, told: Told | undefined): string {
    if (column.figure !== 'late_one_silent_ms' || !told) return column.hint ?? '';
    const cost =
      told.silent_cost_ms === null
        ? 'the rest of time'
        : `${shown(told.silent_cost_ms, 4)} ms a time`;
    return `While ${timing?.silent} is silent; its own silence costs ${cost}`;
  }
</script>

<div
  class:long
  bind:this={box}
  bind:clientHeight={view.height}
  onscroll={() => (view.scrolled = box?.scrollTop ?? 0)}
>
  <table>
    <thead>
      <tr
        ><th>From → to</th><th>What</th><th>{bus?.reference_title ?? ''}</th
        >{#each columns as column (column.title)}<th class="number" title={column.hint}
            >{column.title}</th
          >{/each}<th>{plant.bench.running ? 'On the bench' : 'State'}</th></tr
      >
    </thead>
    <tbody>
      {#if long && view.before}<tr class="room" style:height="{view.before}px"
          ><td colspan={columns.length + 4}></td></tr
        >{/if}
      {#each drawn as { station: at, exchange } (exchange.id)}
        {@const own = times.get(exchange.id)}
        {@const wire = plant.part('exchange.wire', exchange.id)}
        {@const bench = lives.get(exchange.id)}
        {@const worst = plant.findingsAt([exchange.id])[0]}
        <tr class:chosen={exchange.id === chosen} onclick={() => onchoose(exchange.id)}>
          <td>
            <button class="plain cell" onclick={() => onchoose(exchange.id)}>
              {exchange.direction === 'in'
                ? `${at.name} → ${controller}`
                : `${controller} → ${at.name}`}
            </button>
            <span class="quiet"
              >{exchange.name}{follows.has(exchange.id)
                ? ` · after ${follows.get(exchange.id)}`
                : ''}</span
            >
          </td>
          <td>{wire?.what ?? ''}</td>
          <td class="mono"
            >{wire?.reference ?? ''}
            {#if wire?.address}<span class="quiet">= {wire.address}</span>{/if}</td
          >
          {#each columns as column, n (column.title)}
            {@const word = off(at, exchange) ? (n ? '–' : 'off') : instead(column, own)}
            <td class="number" class:quiet={word !== ''} title={hint(column, own)}
              >{#if word || !own}{word}{:else}{atLeast(column)}{shown(
                  (own[column.figure] ?? 0) * (column.unit === 'µs' ? 1000 : 1),
                  column.digits,
                )} <span class="unit">{column.unit}</span>{/if}</td
            >
          {/each}
          <td class="state" title={bench?.text ?? worst?.text ?? ''}>
            {#if bench}
              <Mark
                state={bench.state === 'bad' ? 'error' : bench.state === 'good' ? 'good' : 'idle'}
                word={bench.text}
              />
            {:else if off(at, exchange)}<Mark state="idle" word="switched off" />
            {:else if worst}
              <Mark state={worst.severity} word={worst.title} />
            {:else}<Mark state="idle" word="as configured" />{/if}
          </td>
        </tr>
      {/each}
      {#if long && view.behind}<tr class="room" style:height="{view.behind}px"
          ><td colspan={columns.length + 4}></td></tr
        >{/if}
    </tbody>
  </table>
</div>

<style>
  @container (max-width: 800px) {
    table {
      font-size: var(--f-note);
    }
    th,
    td {
      padding-right: var(--s3);
    }
  }
  div {
    overflow-x: auto;
  }
  .long {
    max-height: 380px;
    overflow-y: auto;
    border-bottom: 1px solid var(--rule);
  }
  .long thead {
    position: sticky;
    top: 0;
    background: var(--paper);
    z-index: 1;
  }
  .room td {
    padding: 0;
    border: 0;
  }
  td {
    white-space: nowrap;
  }
  td:first-child {
    max-width: 290px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  td:nth-child(3) {
    max-width: 176px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  th {
    white-space: nowrap;
  }
  td.state {
    max-width: 132px;
    padding-block: 0;
    white-space: normal;
    line-height: 1.15;
    font-size: var(--f-note);
  }
  td.state :global(.mark) {
    white-space: normal;
    align-items: flex-start;
    max-height: 2.3em;
    overflow: hidden;
  }
  .cell {
    padding: 0;
    border: 0;
    font-weight: 600;
  }
  tr {
    cursor: pointer;
  }
</style>
