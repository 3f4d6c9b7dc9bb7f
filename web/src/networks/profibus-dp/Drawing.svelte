<script module lang="ts">
  export const drawsTime = true;
</script>

<script lang="ts">
  import ObjectForm from '../../kit/ObjectForm.svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';
  import { Silence } from '../../stages/networks/silence.svelte';

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

  const course = $derived(plant.part('network.course', network));
  const silence = new Silence(
    () => plant,
    () => plant.row('stations', one?.station),
  );
  const timing = $derived(silence.course ?? course);
  const around = $derived(told?.stretches.filter((s) => !s.station && s.kind !== 'idle') ?? []);
  /** What the drawing is as wide as, ms. */
  const total = $derived(
    Math.max(
      told?.worst_ms ?? 1,
      told?.rotation_ms ?? 1,
      ...(timing?.lanes.map((lane) => lane.blocks.at(-1)?.end_ms ?? 0) ?? []),
    ),
  );
  const percent = (time: number) => `${Math.min((100 * time) / total, 100)}%`;
  const ms = (bits: number) => (told ? (1000 * bits) / told.baud : 0);
  const name = (station: string) => plant.row('stations', station)?.name ?? '';

  const AROUND: Record<string, string> = {
    token: 'the token, to itself',
    gap: 'somebody in the gap is asked for',
    slot: 'the slot time waited for him',
    rest: 'held back: nobody is asked oftener',
  };

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
    <p class="row">
      <span class="quiet">
        A rotation to scale: typically <strong class="mono">{shown(told.typical_ms, 3)}</strong> ms,
        at worst <strong class="mono">{shown(told.worst_ms, 3)}</strong>
        ms{#if told.bits_ms < told.worst_ms - 1e-6}; telegrams take
          <span class="mono">{shown(told.bits_ms, 3)}</span> ms of it{/if}
      </span>
      <span class="wide"></span>
      {#if one}
        {#if silence.wanted}<span class="cost"
            >{shown(one.silent_ms, 3)} ms until it is given up, in every rotation</span
          >{/if}
        {#if silence.askable}
          <button
            class="plain silent"
            aria-pressed={silence.wanted}
            class:wanted={silence.wanted}
            title="The same rotation while {name(one.station)} does not answer"
            onclick={() => (silence.wanted = !silence.wanted)}>{name(one.station)} silent</button
          >
        {/if}
      {/if}
    </p>
    <div class="round">
      {#each silence.course ? [] : around as stretch (stretch.start)}
        <span
          class="around {stretch.kind}"
          style:left={percent(ms(stretch.start))}
          style:width={percent(ms(stretch.bits))}
          title={AROUND[stretch.kind]}
        ></span>
      {/each}
      {#each timing?.lanes ?? [] as lane (lane.id)}
        {#each lane.blocks as block, n (n)}
          <span
            class="block {block.kind}"
            style:left={percent(block.start_ms)}
            style:width={percent(block.end_ms - block.start_ms)}
          ></span>
        {/each}
        {@const first = lane.blocks[0]?.start_ms ?? 0}
        {@const last = lane.blocks.at(-1)?.end_ms ?? 0}
        <button
          class="plain whole"
          class:chosen={lane.id === one?.station}
          style:left={percent(first)}
          style:width={percent(last - first)}
          aria-label="{lane.label}: {shown(last - first, 3)} ms"
          title="{lane.label}: {shown(last - first, 3)} ms"
          onclick={() => onchoose(lane.id)}
        ></button>
      {/each}
      <span class="target" style:left={percent(told.rotation_ms)}></span>
    </div>
    <div class="under">
      {@render value('gap')}
      {@render value('hsa')}
      <span class="mark" style:left={percent(told.rotation_ms)}
        >{@render value('rotation')}<span class="quiet mono">{shown(told.rotation_ms, 3)} ms</span
        ></span
      >
    </div>
    {#if one}
      <p class="quiet">
        One exchange, with {name(one.station)}: times to scale, telegrams not
      </p>
      <div class="one" bind:clientWidth={width}>
        <svg {width} height="126" aria-hidden="true">
          <rect x={asked} y="34" width={BOX} height="26" class="request" />
          <rect x={answers} y="34" width={BOX} height="26" class="response" />
          <path d="M{answers + BOX + told.idle * scale} 34h60v26h-60z" class="again" />
          <path d="M{LEFT} 68v30M{asked} 62v16M{LEFT} 73H{asked}" class="dim" />
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
        </svg>
        <span
          class="at"
          style:left="{Math.min(sent + bit('slot') * scale + 4, width - 110)}px"
          style:top="6px">{@render value('slot')}</span
        >
        <span class="at" style:left="{LEFT}px" style:top="100px"
          ><span class="id mono">T_ID1 {told.idle}</span>{@render value('set')}
          {@render value('qui')}</span
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
  .around,
  .whole {
    position: absolute;
    top: 0;
    height: 100%;
    min-width: 1px;
    padding: 0;
    border: 0;
    border-radius: 0;
  }
  .block.request {
    background: var(--tarn-tint);
    border-left: 1px solid var(--tarn);
  }
  .block.response {
    background: var(--lichen-tint);
    border-right: 1px solid var(--lichen);
  }
  .block.wait {
    top: 13px;
    height: 3px;
    background: var(--rule-2);
  }
  .block.time-out {
    background: var(--bracken-tint);
    border-left: 1px solid var(--bracken);
  }
  .whole {
    background: none;
    cursor: pointer;
  }
  .whole.chosen {
    box-shadow: inset 0 -4px var(--heather);
  }
  .around.token {
    background: var(--ink);
  }
  .around.gap {
    background: var(--tarn-tint);
  }
  .around.slot {
    background: repeating-linear-gradient(135deg, var(--rule-2) 0 2px, var(--leaf) 2px 5px);
  }
  .target {
    position: absolute;
    top: -4px;
    height: 38px;
    width: 2px;
    transform: translateX(-100%);
    background: var(--ink);
  }
  .mark {
    position: absolute;
    transform: translateX(-100%);
    white-space: nowrap;
  }
  .cost {
    color: var(--bracken);
  }
  .silent {
    white-space: nowrap;
  }
  .silent.wanted {
    background: var(--bracken-tint);
    font-weight: 600;
  }
  .id {
    font-size: var(--f-tiny);
    color: var(--ink-2);
  }
  .under {
    position: relative;
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
    height: 126px;
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
