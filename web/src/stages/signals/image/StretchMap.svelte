<script lang="ts">
  import type { PlantStore } from '../../../plant/store.svelte';
  import { ROW, type Here, type ImageWork, type Stretch } from './imageWork.svelte';

  /** A stretch of the image, four octets a line: its bits, and below them every value that takes more than one. */
  let {
    plant,
    work,
    here,
    stretch,
  }: { plant: PlantStore; work: ImageWork; here: Here; stretch: Stretch } = $props();

  type Value = Here['values'][number];
  type Piece = { value: Value; from: number; to: number; lane: number; begins: boolean };

  const chosen = $derived(new Set(plant.selection));
  const live = $derived(here.now ? here.now.split(' ') : []);
  // The server's answer may be of the stretch before this one for a moment.
  const values = $derived(here.offset === stretch.offset ? here.values : []);

  const lines = $derived.by(() => {
    const made = [];
    for (let first = stretch.offset; first < stretch.offset + stretch.octets; first += ROW) {
      const octets = Math.min(ROW, stretch.offset + stretch.octets - first);
      const low = first * 8;
      const high = low + octets * 8;
      const there = values.filter((v) => v.bit < high && v.bit + v.bits > low);
      made.push({
        first,
        octets,
        padding: first + ROW >= stretch.offset + stretch.octets ? stretch.padding : 0,
        single: new Map(there.filter((v) => v.bits === 1).map((v) => [v.bit, v])),
        pieces: laid(
          there.filter((v) => v.bits > 1),
          low,
          high,
        ),
      });
    }
    return made;
  });

  /** Where the values of a line stand below its bits: each in the first lane in which there is room. */
  function laid(wide: Value[], low: number, high: number): Piece[] {
    const ends: number[] = [];
    return wide.flatMap((value) => {
      const begin = Math.max(value.bit, low);
      const end = Math.min(value.bit + value.bits, high);
      const from = Math.floor((begin - low) / 8);
      const to = Math.ceil((end - low) / 8);
      let lane = ends.findIndex((taken) => taken <= from);
      if (lane < 0) lane = ends.push(0) - 1;
      ends[lane] = to;
      return [{ value, from, to, lane, begins: value.bit >= low }];
    });
  }

  function keys(event: KeyboardEvent) {
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -ROW, ArrowDown: ROW }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    work.step(by);
    window.requestAnimationFrame(() =>
      map?.querySelector<HTMLElement>('[aria-current="true"]')?.focus(),
    );
  }
  let map = $state<HTMLElement>();
  const BITS = [7, 6, 5, 4, 3, 2, 1, 0];
  const said = (v: Value) =>
    `${v.name}, ${v.type}${v.among.length ? `; shares bits with ${v.among.join(', ')}` : ''}`;
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions (arrows go from octet to octet, each of which is a button) -->
<div
  class="map"
  bind:this={map}
  role="group"
  aria-label="Octets of {stretch.label}"
  onkeydown={keys}
>
  {#each lines as line (line.first)}
    <div class="line" style:--lanes={Math.max(0, ...line.pieces.map((p) => p.lane + 1))}>
      {#each { length: line.octets }, n}
        {@const octet = line.first + n}
        <button
          class="octet"
          style:grid-column={n + 1}
          aria-current={octet === work.octet}
          tabindex={octet === work.octet ? 0 : -1}
          onclick={() => work.go(octet)}
        >
          <span class="mono"
            ><span class="quiet">octet</span>
            {octet}{#if live[octet - stretch.offset]}<b>{live[octet - stretch.offset]}</b
              >{/if}</span
          >
          <span class="bits">
            {#each BITS as bit (bit)}
              {@const value = line.single.get(octet * 8 + bit)}
              <span
                class="bit mono"
                class:named={value}
                class:chosen={value && chosen.has(value.signal)}
                class:shared={value?.among.length}
                title={value ? `Bit ${bit}: ${said(value)}` : `Bit ${bit}`}>{bit}</span
              >
            {/each}
          </span>
        </button>
      {/each}
      {#each line.pieces as piece (piece.value.link)}
        <button
          class="value mono"
          class:goes={!piece.begins}
          class:chosen={chosen.has(piece.value.signal)}
          class:shared={piece.value.among.length}
          style:grid-column="{piece.from + 1} / {piece.to + 1}"
          style:grid-row={piece.lane + 2}
          title={said(piece.value)}
          tabindex="-1"
          onclick={() => plant.select(piece.value.signal)}
          >{piece.begins ? '' : '… '}{piece.value.name}
          <span class="quiet">{piece.value.type}{piece.value.scaled ? ' scaled' : ''}</span></button
        >
      {/each}
      {#if line.padding && line.octets < ROW}
        <span
          class="padding quiet"
          style:grid-column="{line.octets + 1} / {Math.min(line.octets + line.padding, ROW) + 1}"
          >padding</span
        >
      {/if}
    </div>
  {/each}
  {#if values.some((value) => value.among.length)}
    <p class="legend quiet"><span></span>shares bits with another</p>
  {/if}
</div>

<style>
  .map {
    flex: 0 1 auto;
    min-height: 42px;
    overflow: auto;
    padding-bottom: var(--s4);
  }
  .line {
    display: grid;
    grid-template-columns: repeat(4, minmax(0, 1fr));
    grid-auto-rows: auto;
    gap: var(--s1);
    margin-bottom: var(--s3);
    content-visibility: auto;
    contain-intrinsic-size: auto 42px;
  }
  .octet {
    grid-row: 1;
    display: block;
    padding: var(--s1) var(--s2);
    border: 1px solid var(--rule);
    background: none;
    text-align: left;
    font-weight: 400;
  }
  .octet[aria-current='true'] {
    border-color: var(--heather);
    box-shadow: inset 0 0 0 1px var(--heather);
  }
  .octet > .mono {
    display: flex;
    gap: var(--s2);
    font-size: var(--f-small);
  }
  .octet b {
    margin-left: auto;
  }
  .bits {
    display: grid;
    grid-template-columns: repeat(8, 1fr);
    margin-top: var(--s1);
  }
  .bit {
    height: 15px;
    line-height: 15px;
    text-align: center;
    font-size: var(--f-tiny);
    color: var(--ink-3);
    border-left: 1px solid var(--rule);
  }
  .bit:first-child {
    border-left: 0;
  }
  .bit.named {
    background: var(--tarn-tint);
    color: var(--ink);
    font-weight: 600;
  }
  .value {
    height: 19px;
    padding: 0 var(--s3);
    border: 0;
    border-left: 3px solid var(--tarn);
    background: var(--tarn-tint);
    text-align: left;
    font-size: var(--f-small);
    font-weight: 400;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .value.goes {
    border-left-style: dotted;
  }
  .chosen {
    outline: 2px solid var(--heather);
    outline-offset: -2px;
  }
  .bit.shared,
  .value.shared {
    background: var(--gorse-tint);
  }
  .value.shared {
    border-left-color: var(--gorse);
  }
  .legend {
    margin: 0;
    font-size: var(--f-small);
  }
  .legend span {
    display: inline-block;
    width: 12px;
    height: 10px;
    margin-right: var(--s3);
    background: var(--gorse-tint);
    border-left: 3px solid var(--gorse);
  }
  .padding {
    grid-row: 1;
    display: grid;
    place-items: center;
    font-size: var(--f-small);
    background: repeating-linear-gradient(135deg, var(--sunk) 0 4px, transparent 4px 8px);
  }
</style>
