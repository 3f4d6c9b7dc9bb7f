<script lang="ts">
  import type { PartResult } from '../../api/client';
  import Empty from '../../kit/Empty.svelte';
  import LiveValue from '../../kit/LiveValue.svelte';
  import WriteValue from '../../kit/WriteValue.svelte';
  import Mark from '../../kit/Mark.svelte';
  import NameIt from '../../kit/NameIt.svelte';
  import { shown } from '../../kit/numbers';
  import { controllerOf } from '../../plant/ports';
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';
  import AddTransfer from './AddTransfer.svelte';

  /** What controllers tell one another, both ends of every transfer side by side, alive while the bench runs. */
  let { plant }: { plant: PlantStore } = $props();
  let adding = $state(false);

  const transfers = $derived(
    plant.list('stations').flatMap((station) => {
      const partner = plant.row('controllers', station.partner);
      const network = plant.row('networks', station.network);
      const asks = controllerOf(plant, plant.row('ports', network?.port));
      if (!partner || !network || !asks) return [];
      return plant.list('connections', 'station', station.id).flatMap((connection) =>
        plant.list('exchanges', 'connection', connection.id).map((exchange) => ({
          exchange,
          network,
          asks,
          from: exchange.direction === 'in' ? partner : asks,
          to: exchange.direction === 'in' ? asks : partner,
        })),
      );
    }),
  );

  // The heartbeats of a connection that only hears carry nothing to be shown.
  const carrying = $derived(
    transfers.filter((t) => plant.part('exchange.wire', t.exchange.id)?.octets !== 0),
  );

  type Piece = PartResult<'exchange.octets'>['pieces'][number];
  type Controller = { id: string; name: string };
  // So many free places are offered behind those that have a signal.
  const FREE = 3;

  /** Each piece that has a signal at either end, with both, and the first ones that have none. */
  function rows(exchange: string, inward: boolean, giver: Controller, taker: Controller) {
    const near = plant.part('exchange.octets', exchange);
    const far = plant.part('exchange.far-octets', exchange);
    const [given, taken] = inward ? [far, near] : [near, far];
    let free = 0;
    return (near?.pieces ?? []).flatMap((piece, n) => {
      const pieces = [given?.pieces[n], taken?.pieces[n]] as const;
      const there = pieces.flatMap((one) => one?.signals ?? []);
      const bits = [...new Set(there.map((s) => s.bit))];
      // Looked for only until enough are found: a long exchange has many.
      if (!bits.length && free < FREE && !covered(given, piece) && !covered(taken, piece)) {
        free++;
        bits.push(null);
      }
      return bits.map((bit) => {
        const label = bit == null ? piece.label : `${piece.label} bit ${bit}`;
        const type = there.find((s) => s.bit === bit)?.type ?? piece.data_type;
        return {
          key: `${piece.key}.${bit}`,
          label,
          from: end(pieces[0], bit, giver, label, type),
          to: end(pieces[1], bit, taker, label, type),
        };
      });
    });
  }

  /** One end of a row: its signals, and what a place without one is named by. */
  const end = (
    piece: Piece | undefined,
    bit: number | null | undefined,
    controller: Controller,
    label: string,
    type: string,
  ) => ({
    signals: (piece?.signals ?? []).filter((s) => s.bit === bit),
    controller: controller.id,
    key: piece ? (bit == null ? piece.key : `${piece.key}.${bit}`) : '',
    label: `${label} in ${controller.name}`,
    type,
  });

  /** Whether a longer value before it runs over a piece. */
  const covered = (end: { pieces: Piece[] } | null | undefined, piece: Piece) =>
    end?.pieces.some((p) => p.signals.length && p.bit < piece.bit && p.bit + p.bits > piece.bit);

  const lives = $derived(
    new Map(
      plant.bench.running
        ? plant.bench.state?.stations.flatMap((s) => s.exchanges).map((x) => [x.id, x])
        : [],
    ),
  );

  function age(exchange: string): string {
    const good = lives.get(exchange)?.last_good_s;
    if (good == null) return '';
    // By the bench's own time at the moment it told: how old it was then.
    return `${shown(Math.max(0, 1000 * ((plant.bench.state?.time_s ?? good) - good)), 3)} ms old`;
  }

  $effect(() => {
    if (!plant.bench.running) return;
    const ids = transfers.flatMap((t) =>
      rows(t.exchange.id, t.exchange.direction === 'in', t.from, t.to).flatMap((r) =>
        [...r.from.signals, ...r.to.signals].map((s) => s.signal),
      ),
    );
    plant.bench.follow(ids);
  });
  $effect(() => (plant.bench.running ? plant.bench.watched() : undefined));

  const open = (network: string, exchange: string) =>
    router.go(`/p/${plant.key}/networks/${network}/${exchange}`);
</script>

<header class="row">
  <h1>Between controllers</h1>
  <span class="wide"></span>
  {#if plant.mayEdit && plant.list('controllers').length > 1}
    <button onclick={() => (adding = true)}>Add a transfer …</button>
  {/if}
  <button onclick={() => router.go(`/p/${plant.key}/networks`)}>Back to the networks</button>
</header>
{#if adding}
  <AddTransfer {plant} oncancel={() => (adding = false)} onmade={() => (adding = false)} />
{/if}

{#if !transfers.length}
  <Empty title="No data between controllers yet">
    <p>
      A transfer brings values from one controller to another. One of the two asks: it reads from
      the other, or writes to it. Both ends are shown here, side by side.
    </p>
    {#if plant.list('controllers').length < 2}<p>This plant has fewer than two controllers.</p>{/if}
  </Empty>
{/if}

{#each carrying as transfer (transfer.exchange.id)}
  {@const time = plant
    .part('network.timing', transfer.network.id)
    ?.exchanges.find((e) => e.exchange === transfer.exchange.id)}
  {@const wire = plant.part('exchange.wire', transfer.exchange.id)}
  {@const live = lives.get(transfer.exchange.id)}
  {@const found = plant.findingsAt([transfer.exchange.id])[0]}
  {@const inward = transfer.exchange.direction === 'in'}
  {@const pairs = rows(transfer.exchange.id, inward, transfer.from, transfer.to)}
  <section>
    <h2 class="row">
      <button class="plain" onclick={() => open(transfer.network.id, transfer.exchange.id)}
        >{transfer.from.name} → {transfer.to.name}</button
      >
      <span class="quiet"
        >{transfer.exchange.name} · {transfer.asks.name} asks{time
          ? ` every ${shown(time.period_ms)} ms`
          : ''} over {transfer.network.name} · {wire?.what ?? ''}
        {wire?.reference ? `from ${wire.reference}` : ''}</span
      >
      <span class="wide"></span>
      {#if live}<span class="mono quiet">{age(transfer.exchange.id)}</span>
        <Mark
          state={live.state === 'bad' ? 'error' : live.state === 'good' ? 'good' : 'idle'}
          word={live.text}
        />
      {:else if found}<Mark state={found.severity} word={found.title} />{/if}
    </h2>
    {#if pairs.some((p) => !transfer.exchange.settings?.health || p.from.signals.length || p.to.signals.length)}
      <table>
        <thead>
          <tr
            ><th>Place</th><th>In {transfer.from.name}</th><th class="number">Now</th><th
              ><span class="unseen">Way</span></th
            ><th>In {transfer.to.name}</th><th class="number">Now</th></tr
          >
        </thead>
        <tbody>
          {#each pairs as pair (pair.key)}
            <tr>
              <td class="mono">{pair.label}</td>
              <td class="mono">{@render named(pair.from, transfer.exchange.id)}</td>
              <td class="number"
                >{#each pair.from.signals as signal (signal.signal)}<WriteValue
                    {plant}
                    signal={signal.signal}
                  />{/each}</td
              >
              <td class="arrow">→</td>
              <td class="mono">{@render named(pair.to, transfer.exchange.id)}</td>
              <td class="number">{@render value(pair.to.signals)}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    {:else}
      <p class="quiet">
        {transfer.exchange.settings?.health
          ? 'The controllers drive and watch it by themselves.'
          : 'No signal at either end yet.'}
      </p>
    {/if}
  </section>
{/each}

{#snippet named(place: ReturnType<typeof end>, exchange: string)}
  {#each place.signals as signal (signal.signal)}
    <a
      href="/p/{plant.key}/signals/{signal.signal}"
      onclick={(e) => {
        e.preventDefault();
        router.go(`/p/${plant.key}/signals/${signal.signal}`);
      }}>{signal.name}</a
    > <span class="quiet">{signal.type}</span>
  {:else}
    {#if place.key}
      {@const { controller, key, type, label } = place}
      <NameIt {plant} {controller} place={exchange} {key} {type} {label} />
    {:else}<span class="quiet">nothing linked</span>{/if}
  {/each}
{/snippet}

{#snippet value(signals: { signal: string; unit: string }[])}
  {#each signals as signal (signal.signal)}<LiveValue
      {plant}
      signal={signal.signal}
      unit={signal.unit}
    />{/each}
{/snippet}

<style>
  section {
    margin-top: var(--s6);
  }
  h2 {
    align-items: baseline;
    font-size: var(--f-head);
  }
  h2 button {
    font-weight: 600;
    padding: 0;
    border: 0;
  }
  h2 :global(.mark) {
    font-weight: 400;
    font-size: var(--f-body);
  }
  h2 .quiet {
    font-weight: 400;
    font-size: var(--f-note);
  }
  table {
    table-layout: fixed;
  }
  th:nth-child(1) {
    width: 130px;
  }
  th:nth-child(3),
  th:nth-child(6) {
    width: 110px;
  }
  th:nth-child(4) {
    width: 30px;
  }
  td {
    height: 25px;
    padding-top: 1px;
    padding-bottom: 1px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .arrow {
    text-align: center;
    color: var(--ink-2);
  }
</style>
