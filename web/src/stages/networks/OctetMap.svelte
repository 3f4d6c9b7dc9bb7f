<script lang="ts">
  import type { PartResult } from '../../api/client';
  import type { PlantStore } from '../../plant/store.svelte';

  /** An exchange's octets as two rows: on the wire as the device counts, and in the image with its padding. */
  let {
    plant,
    octets,
    exchange,
    back = false,
    from,
    to,
    data,
    onchoose,
  }: {
    plant: PlantStore;
    octets: PartResult<'exchange.octets'>;
    exchange: string;
    back?: boolean;
    from: string;
    to: string;
    data: string;
    onchoose: (key: string, signal: string | null) => void;
  } = $props();

  const CELL = 33;
  const SHOWN = 128;
  const covered = $derived.by(() => {
    const cells: ({
      key: string;
      label: string;
      signal: string | null;
      name: string;
      first: boolean;
      last: boolean;
      width: number;
    } | null)[] = Array.from({ length: Math.min(octets.octets, SHOWN) }, () => null);
    for (const piece of octets.pieces) {
      const begin = Math.floor(piece.bit / 8);
      const end = Math.ceil((piece.bit + piece.bits) / 8);
      const linked = piece.signals[0];
      for (let n = begin; n < end && n < cells.length; n++) {
        if (cells[n]?.signal && !linked) continue;
        cells[n] = {
          key: piece.key,
          label: piece.label,
          signal: linked?.signal ?? null,
          name: piece.signals.map((s) => s.name).join(', '),
          first: n === begin,
          last: n === end - 1,
          width: end - begin,
        };
      }
    }
    return cells;
  });
  // Where they stand in what goes over the medium, to be found again in a capture.
  const frame = $derived(
    plant.part('exchange.frames', exchange)?.frames.find((f) => f.back === back),
  );
  const live = $derived(data ? data.split(' ') : []);
  const chosen = $derived(new Set(plant.selection));
</script>

<div class="map" style:--cell="{CELL}px">
  <div class="line">
    <span class="head">On the wire<br /><span class="quiet">{octets.octets} octets</span></span>
    <ol>
      {#each covered as cell, n (n)}
        <li
          class:first={cell?.first}
          class:linked={cell?.signal}
          class:chosen={cell?.signal && chosen.has(cell.signal)}
          title="{cell?.label}: {cell?.name || 'free'}"
        >
          <button class="plain" onclick={() => cell && onchoose(cell.key, cell.signal)}>
            <span class="unseen">{cell?.label}, {cell?.name || 'free'}</span>
            {#if live.length > n}<b class="mono">{live[n]}</b>{:else}<b class="mono quiet">{n}</b
              >{/if}
            <small class="mono" style:max-width="{(cell?.width ?? 1) * CELL - 3}px"
              >{cell?.first && !cell.label.startsWith('octet ') ? cell.label : ''}</small
            >
          </button>
        </li>
      {/each}
      {#if octets.octets > SHOWN}<li class="more quiet">{octets.octets - SHOWN} more</li>{/if}
    </ol>
  </div>
  <div class="line image">
    <span class="head"
      >In the image<br /><span class="quiet">of {octets.controller || 'no controller'}</span></span
    >
    <ol>
      {#if octets.image_offset == null}
        <li class="more quiet">
          {octets.controller ? 'takes no place there' : "on no controller's port"}
        </li>
      {:else}
        {#each covered as cell, n (n)}
          <li
            class:first={cell?.first}
            class:linked={cell?.signal}
            class:chosen={cell?.signal && chosen.has(cell.signal)}
          >
            <span class="mono">{octets.image_offset + n}</span>
            {#if cell?.first && cell.name}<small
                title={cell.name}
                style:max-width="{cell.width * CELL - 3}px">{cell.name}</small
              >{/if}
          </li>
        {/each}
        {#each { length: octets.padding }, n}
          <li class="padding" title="padding to {octets.alignment} octets">
            <span class="mono">{octets.image_offset + octets.octets + n}</span>
          </li>
        {/each}
      {/if}
    </ol>
  </div>
  <p class="quiet">
    {from} → {to}
    <span class="unit"
      >{octets.image_area === 'in' ? 'into the controller' : 'out of the controller'}</span
    >
    {#if frame}· octets <span class="mono">{frame.first}–{frame.last}</span> of a frame of
      <span class="mono">{frame.octets}</span>{/if}
    {#if octets.padding}· <span class="pad"
        >hatched: {octets.padding} octets of padding, because {octets.controller} aligns data to {octets.alignment}</span
      >{/if}
  </p>
</div>

<style>
  .map {
    margin: var(--s2) 0 var(--s4);
  }
  .line {
    display: grid;
    grid-template-columns: 96px 1fr;
    align-items: start;
    margin-bottom: var(--s2);
  }
  .head {
    font-size: var(--f-note);
    line-height: 1.3;
    padding-top: var(--s1);
  }
  ol {
    list-style: none;
    display: flex;
    flex-wrap: wrap;
    margin: 0;
    padding: 0;
    row-gap: var(--s2);
  }
  li {
    width: var(--cell);
    height: 34px;
    border: solid var(--rule-2);
    border-width: 1px 0 1px 0;
    text-align: center;
    background: var(--leaf);
    position: relative;
    font-size: var(--f-note);
    overflow: visible;
  }
  li.first {
    border-left-width: 1px;
  }
  li:last-child {
    border-right-width: 1px;
  }
  li button {
    width: 100%;
    height: 100%;
    padding: 0;
    border: 0;
    display: grid;
    align-content: center;
    justify-items: center;
    font-weight: 400;
    position: relative;
    padding-bottom: var(--s5);
  }
  li button small {
    position: absolute;
    left: 2px;
    bottom: 1px;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
    z-index: 1;
  }
  b {
    font-weight: 600;
    font-size: var(--f-note);
  }
  b.quiet {
    font-weight: 400;
  }
  small {
    font-size: var(--f-tiny);
    line-height: 11px;
    color: var(--ink-3);
    display: block;
  }
  .image li {
    padding-top: var(--s2);
    color: var(--ink-2);
    height: 36px;
  }
  .image small {
    position: absolute;
    left: 2px;
    top: 20px;
    width: 64px;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
    text-align: left;
    z-index: 1;
    color: var(--ink);
  }
  .linked {
    background: var(--tarn-tint);
  }
  .chosen {
    background: var(--heather-tint);
    box-shadow: inset 0 -3px var(--heather);
  }
  .padding {
    background: repeating-linear-gradient(-45deg, var(--gorse-tint) 0 4px, var(--leaf) 4px 8px);
    border-left-width: 1px;
  }
  .pad {
    color: var(--gorse);
  }
  .more {
    width: auto;
    padding: var(--s4);
    border: 0;
    background: none;
  }
</style>
