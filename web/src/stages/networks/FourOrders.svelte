<script lang="ts">
  import { http, type PartResult } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { live } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';

  /** What 32-bit values would be in each of the four octet orders, from the octets that came last. */
  let {
    plant,
    octets,
    data,
  }: { plant: PlantStore; octets: PartResult<'exchange.octets'>; data: string } = $props();

  const ORDERS = ['ABCD', 'CDAB', 'BADC', 'DCBA'] as const;
  const WIDE = ['REAL', 'DINT', 'UDINT', 'DWORD'];
  const AT_MOST = 12;
  type Answer = Partial<Record<(typeof ORDERS)[number], number | null>>;
  let answers = $state.raw<Answer[]>([]);
  let number = 0;

  const rows = $derived(
    octets.pieces
      .flatMap((piece) =>
        piece.bits >= 32 && piece.bit % 8 === 0
          ? piece.signals.map((signal) => ({ signal, octet: piece.bit / 8 }))
          : [],
      )
      .filter(({ signal }) => WIDE.includes(signal.type))
      .slice(0, AT_MOST),
  );
  const cases = $derived.by(() => {
    const got = data ? data.split(' ').map((pair) => parseInt(pair, 16)) : [];
    return rows
      .filter(({ octet }) => got.length >= octet + 4)
      .map(({ signal, octet }) => ({
        registers: [0, 2].map((n) => got[octet + n]! * 256 + got[octet + n + 1]!),
        type: signal.type,
      }));
  });

  $effect(() => {
    const body = cases;
    const asked = ++number;
    if (!body.length) {
      answers = [];
      return;
    }
    const path = { params: { path: { name: 'decode-registers' } }, body: body as never };
    http
      .POST('/api/compute/{name}', path)
      .then(({ data: told }) => {
        if (asked === number && Array.isArray(told)) answers = told as Answer[];
      })
      .catch(() => {});
  });

  // What came one after the other tells the right one: it is calm, and within what the signal can be.
  const KEPT = 60;
  const AGAIN_MS = 1000;
  type Rank = { best: string; orders: { order: string; plausible_percent: number }[] };
  let came: Record<string, number[][]> = {};
  let ranks = $state.raw<Record<string, Rank & { of: number }>>({});
  let last = 0;

  $effect(() => {
    const now = cases;
    rows.forEach(({ signal }, n) => {
      const got = now[n]?.registers;
      const own = (came[signal.link] ??= []);
      if (got && String(own.at(-1)) !== String(got)) came[signal.link] = [...own, got].slice(-KEPT);
    });
    if (Date.now() - last < AGAIN_MS || !now.length) return;
    last = Date.now();
    void rank();
  });

  async function rank() {
    const wanted = rows.filter(({ signal }) => (came[signal.link]?.length ?? 0) > 1);
    if (!wanted.length) return;
    const body = wanted.map(({ signal }) => {
      const scaling = plant.row('links', signal.link)?.scaling;
      return {
        samples: came[signal.link],
        type: signal.type,
        low: scaling ? Number(scaling.raw_lo) : null,
        high: scaling ? Number(scaling.raw_hi) : null,
      };
    });
    try {
      const path = { params: { path: { name: 'rank-orders' } }, body: body as never };
      const { data: told } = await http.POST('/api/compute/{name}', path);
      if (Array.isArray(told))
        ranks = Object.fromEntries(
          wanted.map(({ signal }, n) => [
            signal.link,
            { ...(told[n] as Rank), of: body[n]!.samples!.length },
          ]),
        );
    } catch {
      // It is asked again with the next values.
    }
  }

  const order = (link: string) => plant.row('links', link)?.order ?? 'ABCD';
  const choose = (link: string, name: string, to: string) =>
    plant
      .edit({ kind: 'set', ids: [link], values: { order: to } }, `Read ${name} in the order ${to}`)
      .catch(() => {});
</script>

{#if answers.length && answers.length === rows.length}
  <h2>Four orders, one right</h2>
  <table>
    <thead>
      <tr
        ><th>Signal</th>{#each ORDERS as item (item)}<th class="number mono">{item}</th>{/each}<th
          >By what came</th
        ></tr
      >
    </thead>
    <tbody>
      {#each rows as { signal }, n (signal.link)}
        <tr>
          <td class="mono">{signal.name} <span class="quiet">{signal.type}</span></td>
          {#each ORDERS as item (item)}
            {@const own = order(signal.link) === item}
            <td class="number">
              <button
                class="plain mono"
                class:own
                disabled={!plant.mayEdit || own}
                title={own ? 'as it is read now' : `Read it in the order ${item}`}
                onclick={() => choose(signal.link, signal.name, item)}
                >{own ? '● ' : ''}{answers[n]?.[item] == null
                  ? 'no number'
                  : live(answers[n][item])}</button
              >
            </td>
          {/each}
          <td class="says">
            {#if ranks[signal.link]?.best}
              {@const rank = ranks[signal.link]!}
              {#if rank.best === order(signal.link)}<Mark state="good" word="{rank.best} it is" />
              {:else}<Mark state="warning" word="{rank.best}, not {order(signal.link)}" />{/if}
            {:else}<span class="quiet">not clear yet</span>{/if}
          </td>
        </tr>
      {/each}
    </tbody>
  </table>
{/if}

<style>
  h2 {
    margin-top: var(--s4);
  }
  th.number {
    width: 15%;
  }
  td {
    height: 25px;
  }
  .own {
    font-weight: 600;
    color: var(--ink);
  }
</style>
