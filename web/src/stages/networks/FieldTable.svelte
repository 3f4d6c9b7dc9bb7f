<script lang="ts">
  import type { PartResult } from '../../api/client';
  import LiveValue from '../../kit/LiveValue.svelte';
  import NameIt from '../../kit/NameIt.svelte';
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';

  /** The pieces of an exchange with their signals: what the device's manual says against what the program calls it. */
  let {
    plant,
    octets,
    exchange,
    controller,
  }: {
    plant: PlantStore;
    octets: PartResult<'exchange.octets'>;
    exchange: string;
    controller: string | undefined;
  } = $props();

  const SHOWN = 64;

  const written = (bit: number, bits: number, base = 0) => {
    const first = base + Math.floor(bit / 8);
    const last = base + Math.ceil((bit + bits) / 8) - 1;
    return first === last ? `${first}` : `${first}–${last}`;
  };
  // A register that a longer value runs over is part of that value, not free.
  const rows = $derived(
    octets.pieces
      .filter(
        (piece) =>
          piece.signals.length ||
          !octets.pieces.some(
            (p) =>
              p !== piece && p.signals.length && p.bit < piece.bit && p.bit + p.bits > piece.bit,
          ),
      )
      .slice(0, SHOWN),
  );

  const at = (one: (typeof octets.beside)[number]) =>
    one.octet == null
      ? ''
      : one.bits === 1
        ? `${one.octet}, bit ${one.bit}`
        : written(0, one.bits, one.octet);
  // The pieces, and behind them what belongs to the exchange beside its data.
  const lines = $derived([
    ...rows.map((piece) => ({
      ...piece,
      help: '',
      wire: written(piece.bit, piece.bits),
      image:
        octets.image_offset == null ? '–' : written(piece.bit, piece.bits, octets.image_offset),
    })),
    ...octets.beside.map((one) => ({ ...one, wire: '', image: at(one) })),
  ]);
</script>

{#snippet named(signal: { signal: string; name: string })}
  <a
    href="/p/{plant.key}/signals/{signal.signal}"
    onclick={(e) => {
      e.preventDefault();
      router.go(`/p/${plant.key}/signals/${signal.signal}`);
    }}>{signal.name}</a
  >
{/snippet}

<table>
  <thead>
    <tr
      ><th>Reference</th><th>Wire octets</th><th>Image octets</th><th>Signal</th><th>Type</th><th
        class="number">Range</th
      ><th class="number">Now</th></tr
    >
  </thead>
  <tbody>
    {#each lines as line (line.key)}
      {#each line.signals.length ? line.signals : [null] as signal (signal?.link ?? line.key)}
        <tr class:chosen={signal && plant.selection.includes(signal.signal)}>
          <td class:mono={line.wire} title={line.help}
            >{line.label}{#if signal?.bit != null}<span class="quiet">, bit {signal.bit}</span
              >{/if}</td
          >
          <td class="mono">{line.wire}</td>
          <td class={line.image ? 'mono' : 'quiet'}>{line.image || 'none until named'}</td>
          <td class="mono">
            {#if signal}{@render named(signal)}
            {:else}<NameIt
                {plant}
                {controller}
                place={exchange}
                key={line.key}
                type={line.data_type}
                label={line.label}
              />{/if}
          </td>
          <td>{signal?.type ?? ''}</td>
          <td class="number">{signal?.span ?? ''} <span class="unit">{signal?.unit ?? ''}</span></td
          >
          <td class="number"
            >{#if signal}<LiveValue {plant} signal={signal.signal} />{/if}</td
          >
        </tr>
      {/each}
    {/each}
  </tbody>
</table>
{#if octets.pieces.length > SHOWN}<p class="quiet">
    {octets.pieces.length - SHOWN} more pieces
  </p>{/if}

<style>
  td {
    height: 25px;
    padding-top: 1px;
    padding-bottom: 1px;
  }
</style>
