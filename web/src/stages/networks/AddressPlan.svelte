<script lang="ts">
  import { got, http, Problem, type Schemas } from '../../api/client';
  import Dials from '../../kit/Dials.svelte';
  import Empty from '../../kit/Empty.svelte';
  import { plural } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import { pathTo } from '../../shell/places';
  import { router } from '../../shell/router.svelte';

  /** All addresses at a glance: a field of 256 for each IPv4 block, a ruler for each line's station numbers. */
  let { plant }: { plant: PlantStore } = $props();

  type Field = Schemas['AddressField'];
  type Cell = Schemas['AddressCell'];
  const SIDE = 23;
  const CELLS = Array.from({ length: 256 }, (_, n) => n);
  const SIXTEEN = CELLS.slice(0, 16);
  let room = $state(1);
  let number = 0;
  let fields = $state.raw<Field[] | null>(null);
  let chosen = $state.raw<{ field: string; cell: Cell } | null>(null);

  $effect(() => {
    void plant.revision;
    const query = { params: { path: { key: plant.key }, query: { room } } };
    const asked = ++number;
    http
      .GET('/api/plants/{key}/addresses', query)
      .then((answer) => {
        // An answer that was overtaken by a later one is of no use any more.
        if (asked === number) fields = got(answer).fields;
      })
      .catch(() => {});
  });

  /** The letters a cell has room for: the first of each word, and the number at the end. */
  function initials(cell: Cell): string {
    const label = cell.owners[0]?.label ?? '';
    const words = label.split(/[\s_-]+/).filter(Boolean);
    const digits = /(\d+)$/.exec(label)?.[1] ?? '';
    const letters = words.map((w) => w[0]!.toUpperCase()).join('');
    return (letters.replace(/\d/g, '').slice(0, digits ? 2 : 3) + digits).slice(0, 3);
  }

  const column = (number: number) => (number % 16) * SIDE;
  const line = (number: number) => Math.floor(number / 16) * SIDE;
  const inBlock = (field: Field, number: number) =>
    field.block != null &&
    number >= field.block.number &&
    number < field.block.number + field.block.count;
  const say = (cell: Cell) =>
    cell.reserved ||
    `${cell.address}: ${cell.owners.map((o) => o.label).join(' and ')}${cell.ruled ? `; the rule says ${cell.ruled}` : ''}`;

  /** How the chosen owner's switches stand, where its type has any. */
  function dials(cell: Cell) {
    const station = plant.row('stations', cell.owners[0]?.id);
    const uses = station ? plant.part('network.addresses', station.network)?.uses : undefined;
    return uses?.find((use) => use.place === station?.id)?.dialled ?? null;
  }

  async function keepToTheRule(cell: Cell) {
    const owner = cell.owners[0];
    if (!owner) return;
    const edit = { kind: 'set' as const, ids: [owner.id], values: { address: cell.ruled } };
    await plant.edit(edit, `Number ${owner.label} by the rule`).catch(() => {});
    chosen = null;
  }

  function pick(field: Field, cell: Cell) {
    chosen = { field: field.span, cell };
    const owner = cell.owners[0];
    if (owner) plant.select(owner.id);
  }

  let refused = $state.raw<{ network: string; why: string } | null>(null);

  async function setRule(network: string, input: HTMLInputElement) {
    refused = null;
    const values = { 'settings.numbering': input.value || null };
    try {
      await plant.edit({ kind: 'set', ids: [network], values }, 'Numbering rule');
    } catch (error) {
      refused = { network, why: error instanceof Problem ? error.detail : String(error) };
    }
  }

  /** Where the tabulator stops: at the chosen address, or at the first. */
  const stop = (field: Field, cell: Cell) =>
    chosen?.field === field.span ? chosen.cell.address === cell.address : cell === field.cells[0];

  /** The arrows go from one used address to the next, Enter goes to who has it. */
  function walk(event: KeyboardEvent & { currentTarget: Element }, field: Field, cell: Cell) {
    const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
    if (step) {
      const cells = field.cells;
      const to = Math.min(Math.max(cells.indexOf(cell) + step, 0), cells.length - 1);
      pick(field, cells[to]!);
      const all = event.currentTarget.parentElement?.querySelectorAll<SVGElement>('[role=button]');
      all?.[to]?.focus();
    } else if (event.key === 'Enter') open(cell);
    else if (event.key === ' ') pick(field, cell);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function open(cell: Cell) {
    const owner = cell.owners[0];
    if (owner) router.go(pathTo(plant, owner.id));
  }
</script>

<header class="row">
  <h1>Address plan</h1>
  <span class="wide"></span>
  <label class="row"
    >Room for
    <input
      type="number"
      min="1"
      max="254"
      bind:value={
        () => room, (value) => (room = Math.min(254, Math.max(1, Math.round(value || 1))))
      }
    />
    more</label
  >
</header>

{#if fields && !fields.length}
  <Empty title="No addresses yet">
    <p>
      Give a controller's port an address, or put stations on a network: each subnet and each line
      gets its field here.
    </p>
  </Empty>
{:else if fields}
  <div class="plan">
    {#each fields as field (field.span)}
      <section>
        <h2>
          {field.span}
          <span class="quiet"
            >{field.kind === 'grid' ? field.networks.map((n) => n.label).join(', ') : ''}</span
          >
        </h2>
        {#if field.kind === 'grid'}
          <svg
            width={16 * SIDE + 34}
            height={16 * SIDE + 20}
            role="group"
            aria-label="Addresses of {field.span}"
          >
            {#each SIXTEEN as n (n)}
              <text x={34 + n * SIDE + SIDE / 2} y="11" class="scale" text-anchor="middle">{n}</text
              >
              <text x="28" y={18 + n * SIDE + 16} class="scale" text-anchor="end">{16 * n}</text>
            {/each}
            <g transform="translate(34 16)">
              {#each CELLS as n (n)}
                <rect
                  x={column(n)}
                  y={line(n)}
                  width={SIDE - 2}
                  height={SIDE - 2}
                  class="free"
                  class:outside={n < field.low || n > field.high}
                  class:block={inBlock(field, n)}
                  class:handed={field.handed_out.some((one) => n >= one.low && n <= one.high)}
                />
              {/each}
              {#each field.cells as cell (cell.number)}
                <g
                  transform="translate({column(cell.number)} {line(cell.number)})"
                  class="cell"
                  class:chosen={chosen?.cell.address === cell.address &&
                    chosen.field === field.span}
                  role="button"
                  tabindex={stop(field, cell) ? 0 : -1}
                  onkeydown={(event) => walk(event, field, cell)}
                  onclick={() => pick(field, cell)}
                  ondblclick={() => open(cell)}
                >
                  <title>{say(cell)}</title>
                  <rect
                    width={SIDE - 2}
                    height={SIDE - 2}
                    class={cell.reserved ? 'reserved' : 'used'}
                  />
                  {#if cell.ruled}
                    <path d="M{SIDE - 10} 0H{SIDE - 2}V8Z" class="tick" />
                  {/if}
                  {#if cell.owners.length > 1}
                    <path d="M0 {SIDE - 2}L{SIDE - 2} 0M0 0L{SIDE - 2} {SIDE - 2}" class="cross" />
                  {:else if cell.reserved}
                    <path d="M0 {SIDE - 2}L{SIDE - 2} 0" class="hatch" />
                  {:else}
                    <text x={(SIDE - 2) / 2} y="15" text-anchor="middle" class="who"
                      >{initials(cell)}</text
                    >
                  {/if}
                </g>
              {/each}
            </g>
          </svg>
        {:else}
          {@const wide = 396 / (field.high - field.low + 1)}
          <svg width="404" height="64" role="group" aria-label="Station numbers of {field.span}">
            <rect x="0" y="14" width="396" height="22" class="free" />
            {#if field.block}
              <rect
                x={(field.block.number - field.low) * wide}
                y="14"
                width={Math.max(field.block.count * wide, 3)}
                height="22"
                class="free block"
              />
            {/if}
            {#each field.cells as cell (cell.number)}
              <rect
                x={(cell.number - field.low) * wide}
                y="14"
                width={Math.max(wide - 0.4, 2)}
                height="22"
                class={cell.owners.length > 1 ? 'collides' : 'taken'}
                role="button"
                tabindex={stop(field, cell) ? 0 : -1}
                onkeydown={(event) => walk(event, field, cell)}
                onclick={() => pick(field, cell)}
                ondblclick={() => open(cell)}><title>{say(cell)}</title></rect
              >
            {/each}
            {#each [field.low, 50, 100, 150, 200, field.high].filter((n) => n <= field.high) as n (n)}
              <text
                x={Math.min(Math.max((n - field.low + 0.5) * wide, 5), 386)}
                y="50"
                class="scale"
                text-anchor="middle">{n}</text
              >
            {/each}
          </svg>
        {/if}
        <p class="quiet">
          {#if field.block}
            {field.free} free · room for {field.block.count} from
            <span class="mono">{field.block.address}</span>{#if field.short.length}; {plural(
                field.short.length,
                'gap',
              )} before it {field.short.length > 1 ? 'are' : 'is'} too short ({field.short
                .slice(0, 3)
                .map((g) => `${g.count} from ${g.address}`)
                .join(', ')}{field.short.length > 3 ? ' …' : ''}){/if}
          {:else}
            {field.free} free, but no {room} in a row{field.short.length
              ? `: the longest stretch has ${Math.max(...field.short.map((g) => g.count))}`
              : ''}
          {/if}
        </p>
        {#each field.handed_out as one (one.network)}
          <p class="quiet">
            {one.network} hands out
            <span class="mono">{one.low}–{one.high}</span>, outlined
          </p>
        {/each}
        {#each field.networks as network (network.id)}
          {@const rule = plant.row('networks', network.id)?.settings?.numbering}
          <label class="rule row"
            >{field.networks.length > 1 ? `${network.label} by` : 'Numbered by'}
            <input
              class="mono"
              value={typeof rule === 'string' ? rule : ''}
              placeholder="20 + 10*a + n"
              title="n is the last number in a station's name, a the one before it"
              disabled={!plant.mayEdit}
              onchange={(event) => setRule(network.id, event.currentTarget)}
            />
            {#if refused?.network === network.id}<span class="bad" role="alert">{refused.why}</span
              >{/if}
          </label>
        {/each}
        {#if chosen?.field === field.span}
          <p>
            <span class="mono">{chosen.cell.address}</span>
            {#if chosen.cell.reserved}{chosen.cell.reserved}{/if}
            {#each chosen.cell.owners as owner, n (owner.id)}{n ? ' and ' : ''}<button
                class="plain link"
                onclick={() => router.go(pathTo(plant, owner.id))}>{owner.label}</button
              >{/each}
            {#if chosen.cell.owners.length > 1}<strong>: one address, several devices</strong>{/if}
            {#if chosen.cell.ruled}<span class="quiet">the rule says</span>
              <span class="mono">{chosen.cell.ruled}</span>
              {#if plant.mayEdit}<button onclick={() => chosen && keepToTheRule(chosen.cell)}
                  >Number it by the rule</button
                >{/if}{/if}
          </p>
          {@const set = dials(chosen.cell)}
          {#if set}<Dials dialled={set} />{/if}
        {/if}
      </section>
    {/each}
  </div>
{/if}

<style>
  header {
    margin-bottom: var(--s4);
  }
  input {
    width: 64px;
  }
  .plan {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s5) var(--s6);
  }
  section {
    width: 404px;
  }
  h2 {
    font-size: var(--f-body);
  }
  .scale {
    font: var(--f-tiny) var(--mono);
    fill: var(--ink-2);
  }
  .free {
    fill: var(--leaf);
    stroke: var(--rule);
  }
  .outside {
    fill: none;
    stroke: none;
  }
  .handed {
    stroke: var(--lichen);
    stroke-width: 2;
    stroke-dasharray: 3 2;
  }
  .block {
    stroke: var(--heather);
    stroke-width: 2;
  }
  .used {
    fill: var(--tarn-tint);
    stroke: var(--tarn);
  }
  .taken {
    fill: var(--tarn);
  }
  .collides,
  .cross {
    stroke: var(--bracken);
    stroke-width: 2;
    fill: none;
  }
  .collides {
    fill: var(--bracken);
  }
  .tick {
    fill: var(--gorse);
  }
  .reserved {
    fill: var(--paper);
    stroke: var(--rule-2);
  }
  .hatch {
    stroke: var(--ink-2);
  }
  .cell,
  .taken {
    outline: none;
    cursor: pointer;
  }
  .chosen rect {
    stroke: var(--heather);
    stroke-width: 2.5;
  }
  .who {
    font: 600 var(--f-tiny) var(--mono);
    fill: var(--ink);
  }
  .rule {
    font-size: var(--f-note);
    color: var(--ink-2);
    margin: var(--s2) 0;
  }
  .rule input {
    width: 130px;
  }
  .bad {
    color: var(--bracken);
  }
  .link {
    text-decoration: underline;
    padding: 0 var(--s1);
  }
</style>
