<script lang="ts">
  import type { PartResult } from '../../api/client';
  import type { PlantStore } from '../../plant/store.svelte';
  import OctetGroups from '../OctetGroups.svelte';
  import Records from '../Records.svelte';

  /** A station's data units octet by octet, each submodule's data with its status, and the records it gets. */
  let { plant, network, row }: { plant: PlantStore; network: string; row: string } = $props();

  type Piece = PartResult<'profinet.units'>['into'][number];

  const told = $derived(plant.row('stations', row) ? plant.part('profinet.units', row) : undefined);
  const station = $derived(
    plant.part('profinet.network', network)?.stations.find((one) => one.station === row),
  );
  let over = $state('');

  const ways = $derived(
    told
      ? [
          { label: 'It gives', pieces: told.into, octets: station?.frames[0]?.wire_octets },
          { label: 'It takes', pieces: told.out, octets: station?.frames[1]?.wire_octets },
        ]
      : [],
  );
  const WORDS = {
    data: '',
    provider: 'is what it sends good?',
    consumer: 'could it use what it got?',
    padding: 'padding up to 40 octets',
  };
  const words = (piece: Piece) =>
    [
      piece.where && `${piece.where} ${piece.label}`,
      WORDS[piece.what],
      piece.octets > 1
        ? `octets ${piece.first}–${piece.first + piece.octets - 1}`
        : `octet ${piece.first}`,
    ]
      .filter(Boolean)
      .join(' · ');
  const places = $derived([
    ...new Map(
      [...(told?.into ?? []), ...(told?.out ?? [])]
        .filter((piece) => piece.where)
        .map((piece) => {
          const [slot = 0, subslot = 0] = piece.where.split('.').map(Number);
          const value = slot * 0x10000 + subslot;
          return [value, { value, short: piece.where, label: `${piece.where} ${piece.label}` }];
        }),
    ).values(),
  ]);
  const IDENTIFICATION = [
    { index: 0xaff0, label: 'what its label says (I&M 0)' },
    { index: 0xaff1, label: 'function and place (I&M 1)' },
    { index: 0xaff2, label: 'date of installation (I&M 2)' },
    { index: 0xaff3, label: 'description (I&M 3)' },
  ];
</script>

{#if told}
  <section aria-label="Its frames and records">
    {#each ways as way (way.label)}
      <div class="way">
        <span class="quiet">{way.label}</span>
        <span class="unit" role="img" aria-label="{way.label}: {way.pieces.map(words).join('; ')}">
          {#each way.pieces as piece (piece.first)}<span
              class="piece {piece.what}"
              class:lit={piece.where !== '' && over === piece.where}
              style:flex-grow={piece.octets}
              title={words(piece)}
              role="presentation"
              onpointerenter={() => (over = piece.where)}
              onpointerleave={() => (over = '')}>{piece.what === 'data' ? piece.where : ''}</span
            >{/each}
        </span>
        <span class="mono quiet" title="With all around it, as it travels on the wire"
          >{way.octets} octets</span
        >
      </div>
    {/each}
    <p class="quiet key">
      <span><i class="piece data"></i> data</span>
      <span><i class="piece provider"></i> whether it is good, said by who sends it</span>
      <span><i class="piece consumer"></i> whether it could be used, said by who got it</span>
      <span><i class="piece padding"></i> padding</span>
    </p>
    {#if told.records.length}
      <p class="quiet">Records, written when it connects</p>
      <OctetGroups groups={told.records} />
    {/if}
    {#key row}<Records {plant} {row} {places} last={65535} known={IDENTIFICATION} />{/key}
  </section>
{/if}

<style>
  section {
    margin: var(--s5) 0;
    border-top: 1px solid var(--rule);
    padding-top: var(--s4);
    font-size: var(--f-note);
  }
  p {
    margin: 0 0 var(--s2);
  }
  .way {
    display: grid;
    grid-template-columns: 60px 1fr 90px;
    gap: var(--s4);
    align-items: center;
    margin-bottom: var(--s2);
  }
  .unit {
    display: flex;
    height: 20px;
    min-width: 0;
    border: 1px solid var(--rule-2);
  }
  .piece {
    flex: 1 1 2px;
    min-width: 2px;
    overflow: hidden;
    border-right: 1px solid var(--leaf);
    font-size: var(--f-tiny);
    line-height: 18px;
    text-align: center;
    white-space: nowrap;
  }
  .data {
    min-width: 26px;
    background: var(--tarn-tint);
  }
  .provider {
    background: var(--tarn);
  }
  .consumer {
    background: var(--lichen);
  }
  .padding {
    background: var(--rule);
  }
  .lit {
    box-shadow: inset 0 0 0 2px var(--heather);
  }
  .key {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2) var(--s5);
    margin-bottom: var(--s4);
  }
  .key i {
    display: inline-block;
    width: 10px;
    height: 10px;
    min-width: 10px;
  }
</style>
