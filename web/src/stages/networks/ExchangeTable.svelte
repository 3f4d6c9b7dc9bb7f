<script lang="ts">
  import { untrack } from 'svelte';
  import type { PartResult } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import { RowsInView } from '../../kit/rows.svelte';
  import { isParked } from '../../plant/parked';
  import type { PlantStore, Row } from '../../plant/store.svelte';

  /** All exchanges of a network, from → to: what, how often, how long it takes, what its silence costs. */
  let {
    plant,
    lines,
    timing,
    controller,
    chosen,
    onchoose,
  }: {
    plant: PlantStore;
    lines: { station: Row<'stations'>; exchange: Row<'exchanges'> }[];
    timing: PartResult<'network.timing'> | undefined;
    controller: string;
    chosen: string;
    onchoose: (exchange: string) => void;
  } = $props();

  // One line for all of them, or everybody sending by itself.
  const shared = $derived(timing?.cycle_ms != null);
  const packets = $derived(timing?.packets_per_s != null);
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

  const setting = (settings: Record<string, unknown> | undefined, name: string) =>
    settings?.[name] as number | undefined;
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
        ><th>From → to</th><th>What</th><th>{packets ? 'At' : 'From reference'}</th><th
          class="number">Every</th
        ><th class="number">Takes</th><th class="number">{packets ? 'Queued' : 'Late'}</th><th
          class="number">{shared ? 'One silent' : packets ? 'Gives up' : 'If silent'}</th
        ><th>{plant.bench.running ? 'On the bench' : 'State'}</th></tr
      >
    </thead>
    <tbody>
      {#if long && view.before}<tr class="room" style:height="{view.before}px"
          ><td colspan="8"></td></tr
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
            {#if !packets}<span class="quiet">= {setting(exchange.settings, 'address') ?? 0}</span
              >{/if}</td
          >
          {#if off(at, exchange)}
            <td class="number quiet">off</td>
            <td class="number quiet">–</td>
            <td class="number quiet">–</td>
          {:else if own && !own.transaction_ms}
            <td class="number" class:quiet={!own?.period_ms}
              >{#if own?.period_ms}{shown(own.period_ms)} <span class="unit">ms</span>{:else}on
                demand{/if}</td
            >
            <td class="number quiet">–</td>
            <td class="number quiet">–</td>
          {:else if packets}
            <td class="number">{shown(own?.period_ms)} <span class="unit">ms</span></td>
            <td class="number"
              >{shown((own?.transaction_ms ?? 0) * 1000, 4)} <span class="unit">µs</span></td
            >
            <td class="number"
              >{shown((own?.worst_late_ms ?? 0) * 1000, 3)} <span class="unit">µs</span></td
            >
          {:else if own && !own.period_ms}
            <td class="number quiet">on demand</td>
            <td class="number">{shown(own.transaction_ms, 4)} <span class="unit">ms</span></td>
            <td class="number quiet">–</td>
          {:else}
            <td class="number">{shown(own?.period_ms)} <span class="unit">ms</span></td>
            <td class="number">{shown(own?.transaction_ms, 4)} <span class="unit">ms</span></td>
            <td class="number"
              >{timing?.whole ? '' : '≥ '}{shown(own?.worst_late_ms, 4)}
              <span class="unit">ms</span></td
            >
          {/if}
          <td
            class="number"
            title={shared
              ? `While ${timing?.silent} is silent; its own silence costs ${own?.silent_cost_ms == null ? 'the rest of time' : `${shown(own.silent_cost_ms, 4)} ms a time`}`
              : ''}
            >{#if off(at, exchange)}<span class="quiet">–</span
              >{:else if own && (shared ? own.late_one_silent_ms : own.silent_cost_ms) == null}for
              ever{:else}{shared && !timing?.whole_one_silent ? '≥ ' : ''}{shown(
                shared ? own?.late_one_silent_ms : own?.silent_cost_ms,
                4,
              )}
              <span class="unit">ms</span>{/if}</td
          >
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
          ><td colspan="8"></td></tr
        >{/if}
    </tbody>
  </table>
</div>

<style>
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
    font-size: 12px;
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
