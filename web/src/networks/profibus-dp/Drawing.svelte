<script lang="ts">
  import ObjectForm from '../../kit/ObjectForm.svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';

  /** A rotation of the token to scale, one exchange enlarged, and what the bus runs by where it acts on them. */
  let {
    plant,
    network,
    onchoose,
  }: {
    plant: PlantStore;
    network: string;
    controller: string;
    onchoose: (station: string) => void;
  } = $props();

  const told = $derived(plant.part('profibus.line', network));
  const parameter = (key: string) => told?.parameters.find((p) => p.key === key);
  const bit = (key: string) => parameter(key)?.value ?? 0;
  let picked = $state('');
  const shownParameter = $derived(parameter(picked));

  // Of a cycle: each station's stretches from its idle time to the last octet of its answer.
  const cycle = $derived.by(() => {
    if (!told) return { blocks: [], around: [], total: 1 };
    const blocks: { station: string; start: number; bits: number; request: number }[] = [];
    const around = told.stretches.filter((s) => !s.station && s.kind !== 'idle');
    for (const stretch of told.stretches) {
      if (!stretch.station) continue;
      const last = blocks[blocks.length - 1];
      if (last?.station === stretch.station) {
        last.bits = stretch.start + stretch.bits - last.start;
        if (stretch.kind === 'request') last.request = stretch.start + stretch.bits - last.start;
      } else
        blocks.push({
          station: stretch.station,
          start: stretch.start,
          bits: stretch.bits,
          request: 0,
        });
    }
    const end = told.stretches[told.stretches.length - 1];
    return { blocks, around, total: Math.max(end ? end.start + end.bits : 1, bit('rotation')) };
  });
  const percent = (bits: number) => `${Math.min((100 * bits) / cycle.total, 100)}%`;
  const ms = (bits: number) => (told ? (1000 * bits) / told.baud : 0);
  const name = (station: string) => plant.row('stations', station)?.name ?? '';

  // One exchange: telegrams as boxes of one width, times between them to one scale.
  const BOX = 104;
  const LEFT = 2;
  let width = $state(880);
  const chosen = $derived(router.path.split('/').at(-1) ?? '');
  const one = $derived(
    told?.stations.find(
      (s) =>
        s.station === chosen ||
        plant
          .list('connections', 'station', s.station)
          .some((c) => plant.list('exchanges', 'connection', c.id).some((x) => x.id === chosen)),
    ) ?? told?.stations[0],
  );
  const scale = $derived(
    (width - 2 * BOX - 190) /
      Math.max(2 * (told?.idle ?? 1) + Math.max(bit('slot'), bit('max_tsdr')), 1),
  );
  const asked = $derived(LEFT + (told?.idle ?? 0) * scale);
  const sent = $derived(asked + BOX);
  const answers = $derived(sent + bit('max_tsdr') * scale);
</script>

{#snippet value(key: string)}
  {@const p = parameter(key)}
  {#if p}
    <button
      class="plain parameter"
      class:own={p.value !== p.usual}
      class:picked={picked === key}
      aria-expanded={picked === key}
      title="{p.label}: {p.reason}{p.value !== p.usual ? `; by itself ${p.usual} ${p.unit}` : ''}"
      onclick={() => (picked = picked === key ? '' : key)}
      ><i>{p.sign}</i> <span class="mono">{p.value}</span>{p.unit === 'bit'
        ? ''
        : ` ${p.unit}`}</button
    >
  {/if}
{/snippet}

{#if told && told.stations.length}
  <section aria-label="The token's way round">
    <p class="quiet">
      A rotation to scale: typically <strong class="mono">{shown(told.typical_ms, 3)}</strong> ms,
      at worst <strong class="mono">{shown(told.worst_ms, 3)}</strong>
      ms{#if told.bits_ms < told.worst_ms - 1e-6}, of which telegrams take <span class="mono"
          >{shown(told.bits_ms, 3)}</span
        > ms{/if}
    </p>
    <div class="round">
      {#each cycle.around as stretch (stretch.start)}
        <span
          class="around {stretch.kind}"
          style:left={percent(stretch.start)}
          style:width={percent(stretch.bits)}
          title={{
            token: 'the token to itself',
            gap: 'somebody in the gap is asked for',
            slot: 'the slot time waited for him',
            rest: 'held back: no station is asked oftener',
          }[stretch.kind as string]}
        ></span>
      {/each}
      {#each cycle.blocks as block (block.station)}
        <button
          class="plain block"
          class:chosen={block.station === one?.station}
          style:left={percent(block.start)}
          style:width={percent(block.bits)}
          aria-label="{name(block.station)}: {shown(ms(block.bits), 3)} ms at worst"
          title="{name(block.station)}: {shown(ms(block.bits), 3)} ms at worst"
          onclick={() => onchoose(block.station)}
          ><i class="request" style:width="{(100 * block.request) / block.bits}%"></i></button
        >
      {/each}
      <span class="target" style:left={percent(bit('rotation'))}></span>
    </div>
    <div class="under">
      {@render value('gap')}
      {@render value('hsa')}
      <span class="wide"></span>
      <span class="quiet mono">{shown(told.rotation_ms, 3)} ms</span>
      {@render value('rotation')}
    </div>
    {#if one}
      <p class="quiet">
        One exchange, with {name(one.station)}: times to scale, telegrams not
      </p>
      <div class="one" bind:clientWidth={width}>
        <svg {width} height="118" aria-hidden="true">
          <rect x={asked} y="34" width={BOX} height="26" class="request" />
          <rect x={answers} y="34" width={BOX} height="26" class="response" />
          <path d="M{answers + BOX + told.idle * scale} 34h60v26h-60z" class="again" />
          <path d="M{LEFT} 68v10M{asked} 62v16M{LEFT} 73H{asked}" class="dim" />
          <path
            d="M{sent} 20v12M{sent + bit('slot') * scale} 14v18M{sent} 26H{sent +
              bit('slot') * scale}"
            class="dim"
          />
          <path d="M{sent} 62v16M{answers} 62v16M{sent} 73H{answers}" class="dim" />
          <path d="M{sent + bit('min_tsdr') * scale} 66v7" class="dim" />
          <text x={asked + BOX / 2} y="51" text-anchor="middle"
            >request, {one.out_octets} octets</text
          >
          <text x={answers + BOX / 2} y="51" text-anchor="middle"
            >answer, {one.in_octets} octets</text
          >
          <text x={LEFT} y="64" class="sign">T_ID1 {told.idle}</text>
        </svg>
        <span
          class="at"
          style:left="{Math.min(sent + bit('slot') * scale + 4, width - 110)}px"
          style:top="6px">{@render value('slot')}</span
        >
        <span class="at" style:left="{LEFT}px" style:top="80px"
          >{@render value('set')} {@render value('qui')}</span
        >
        <span class="at" style:left="{sent}px" style:top="80px"
          >{@render value('min_tsdr')} {@render value('max_tsdr')}</span
        >
        <span class="at" style:left="{answers + BOX + told.idle * scale}px" style:top="64px"
          >{@render value('retries')}</span
        >
      </div>
    {/if}
    {#if shownParameter}
      <div class="picked-form">
        <span
          ><strong>{shownParameter.label}</strong>
          <span class="quiet"
            >{shownParameter.sign}: {shownParameter.reason}{shownParameter.value !==
            shownParameter.usual
              ? `; by itself it would be ${shownParameter.usual} ${shownParameter.unit}`
              : ''}{shownParameter.unit === 'bit'
              ? `; ${shown(1000 * ms(shownParameter.value), 4)} µs`
              : ''}</span
          ></span
        >
        {#key picked}
          <ObjectForm {plant} id={network} only={(path) => path === `settings.bus.${picked}`} />
        {/key}
      </div>
    {/if}
  </section>
{/if}

<style>
  section {
    margin: var(--s4) 0;
  }
  p {
    margin: 0 0 var(--s2);
    font-size: var(--f-note);
  }
  .round {
    position: relative;
    height: 30px;
    background: var(--leaf);
    border: 1px solid var(--rule-2);
  }
  .block,
  .around {
    position: absolute;
    top: 0;
    height: 100%;
    min-width: 1px;
    padding: 0;
    border: 0;
    border-radius: 0;
  }
  .block {
    background: var(--lichen-tint);
    border-right: 1px solid var(--leaf);
    cursor: pointer;
  }
  .block i {
    display: block;
    height: 100%;
    background: var(--tarn-tint);
  }
  .block.chosen {
    box-shadow: inset 0 -4px var(--heather);
  }
  .token {
    background: var(--ink);
  }
  .gap {
    background: var(--tarn-tint);
  }
  .slot {
    background: repeating-linear-gradient(135deg, var(--rule-2) 0 2px, var(--leaf) 2px 5px);
  }
  .rest {
    background: var(--leaf);
  }
  .target {
    position: absolute;
    top: -4px;
    height: 38px;
    width: 2px;
    margin-left: -2px;
    background: var(--ink);
  }
  .under {
    display: flex;
    align-items: baseline;
    gap: var(--s4);
    margin: var(--s2) 0 var(--s4);
    font-size: var(--f-note);
  }
  .wide {
    flex: 1;
  }
  .one {
    position: relative;
    height: 118px;
    overflow: hidden;
  }
  svg {
    display: block;
  }
  text {
    font-size: var(--f-small);
    fill: var(--ink);
  }
  .sign {
    font: var(--f-tiny) var(--mono);
    fill: var(--ink-2);
  }
  .request {
    fill: var(--tarn-tint);
    stroke: var(--tarn);
  }
  .response {
    fill: var(--lichen-tint);
    stroke: var(--lichen);
  }
  .again {
    fill: none;
    stroke: var(--rule-2);
    stroke-dasharray: 3 3;
  }
  .dim {
    fill: none;
    stroke: var(--ink-2);
  }
  .at {
    position: absolute;
    display: flex;
    gap: var(--s3);
    white-space: nowrap;
  }
  .parameter {
    padding: 0 var(--s2);
    border: 1px solid transparent;
    font-size: var(--f-small);
    font-weight: 400;
    text-decoration: underline dotted;
  }
  .parameter i {
    font-style: normal;
    color: var(--ink-2);
  }
  .parameter.own {
    background: var(--gorse-tint);
    font-weight: 600;
  }
  .parameter.picked {
    border-color: var(--heather);
  }
  .picked-form {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: var(--s6);
    align-items: start;
    padding: var(--s4);
    background: var(--leaf);
    border: 1px solid var(--rule);
    font-size: var(--f-note);
  }
</style>
