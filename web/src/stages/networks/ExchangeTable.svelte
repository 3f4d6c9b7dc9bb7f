<script lang="ts">
  import type { PartResult } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
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
  const setting = (settings: Record<string, unknown> | undefined, name: string) =>
    settings?.[name] as number | undefined;
</script>

<table>
  <thead>
    <tr
      ><th>From → to</th><th>What</th><th>{packets ? 'At' : 'From reference'}</th><th class="number"
        >Every</th
      ><th class="number">Takes</th><th class="number">{packets ? 'Queued' : 'Late'}</th><th
        class="number">{shared ? 'One silent' : packets ? 'Gives up' : 'If silent'}</th
      ><th>{plant.bench.running ? 'On the bench' : 'State'}</th></tr
    >
  </thead>
  <tbody>
    {#each lines as { station: at, exchange } (exchange.id)}
      {@const own = timing?.exchanges.find((e) => e.exchange === exchange.id)}
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
          <span class="quiet">{exchange.name}</span>
        </td>
        <td>{wire?.what ?? ''}</td>
        <td class="mono"
          >{wire?.reference ?? ''}
          {#if !packets}<span class="quiet">= {setting(exchange.settings, 'address') ?? 0}</span
            >{/if}</td
        >
        {#if own && !own.transaction_ms}
          <td class="number" class:quiet={!own?.period_ms}
            >{#if own?.period_ms}{shown(own.period_ms)} <span class="unit">ms</span>{:else}on demand{/if}</td
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
        {:else}
          <td class="number">{shown(own?.period_ms)} <span class="unit">ms</span></td>
          <td class="number">{shown(own?.transaction_ms, 4)} <span class="unit">ms</span></td>
          <td class="number"
            >{timing?.whole ? '' : '≥ '}{shown(own?.worst_late_ms, 3)}
            <span class="unit">ms</span></td
          >
        {/if}
        <td
          class="number"
          title={shared
            ? `While ${timing?.silent} is silent; its own silence costs ${shown(own?.silent_cost_ms, 4)} ms a time`
            : ''}
          >{shared && !timing?.whole_one_silent ? '≥ ' : ''}{shown(
            shared ? own?.late_one_silent_ms : own?.silent_cost_ms,
            4,
          )}
          <span class="unit">ms</span></td
        >
        <td>
          {#if bench}
            <Mark
              state={bench.state === 'bad' ? 'error' : bench.state === 'good' ? 'good' : 'idle'}
              word={bench.text}
            />
          {:else if worst}
            <Mark state={worst.severity} word={worst.title} />
          {:else}<Mark state="idle" word="as configured" />{/if}
        </td>
      </tr>
    {/each}
  </tbody>
</table>

<style>
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
  td:last-child {
    max-width: 124px;
    overflow: hidden;
    text-overflow: ellipsis;
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
