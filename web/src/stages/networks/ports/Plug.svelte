<script lang="ts">
  import type { PartResult } from '../../../api/client';

  /** A device's plug and wires, each with the colour its file tells (IEC 60757), and who the device is. */
  let {
    wires,
    identity,
  }: {
    wires: PartResult<'module.port'>['wires'];
    identity: PartResult<'module.port'>['identity'];
  } = $props();

  // Codes of IEC 60757; of two the second is a stripe.
  const INKS: Record<string, string> = {
    BK: '#22221f',
    BN: '#6f4526',
    RD: '#b3261e',
    OG: '#d9761a',
    YE: '#d9b200',
    GN: '#3c7a3a',
    BU: '#2a5fa8',
    VT: '#6d4a9c',
    GY: '#7d8080',
    WH: '#f4f2ea',
    PK: '#d98ca4',
    TQ: '#2f9a94',
  };
  const inks = (colour: string) => {
    const codes = colour.match(/[A-Z]{2}/g) ?? [];
    return codes.map((code) => INKS[code]).filter((ink): ink is string => !!ink);
  };
  const HEIGHT = 24;
</script>

<figure>
  <svg
    width="150"
    height={wires.length * HEIGHT + 8}
    role="img"
    aria-label={`Wires: ${wires.map((w) => `${w.number} ${w.colour} ${w.function}`).join(', ')}`}
  >
    <rect x="0.5" y="0.5" width="34" height={wires.length * HEIGHT + 7} rx="6" class="plug" />
    {#each wires as wire, n (wire.number)}
      {@const y = 4 + HEIGHT * (n + 0.5)}
      <circle cx="17" cy={y} r="9" class="pin" />
      <text x="17" y={y + 4} class="number">{wire.number}</text>
      <line x1="35" x2="84" y1={y} y2={y} class="sheath" />
      {#each inks(wire.colour) as ink, k (k)}
        <line x1="35" x2="84" y1={y} y2={y} stroke={ink} stroke-width={k ? 2 : 5} />
      {/each}
      <text x="90" y={y + 4} class="function"
        ><tspan class="colour">{wire.colour}</tspan> {wire.function}</text
      >
    {/each}
  </svg>
  <dl>
    {#each identity as [label, value] (label)}<dt>{label}</dt>
      <dd>{value}</dd>{/each}
  </dl>
</figure>

<style>
  figure {
    display: grid;
    gap: var(--s4);
    margin: 0;
  }
  .plug {
    fill: var(--sunk);
    stroke: var(--ink-2);
  }
  .pin {
    fill: var(--paper);
    stroke: var(--ink-2);
  }
  .sheath {
    stroke: var(--ink-3);
    stroke-width: 7;
  }
  text {
    fill: var(--ink);
    font: var(--f-small) var(--mono);
  }
  .number {
    text-anchor: middle;
  }
  .colour {
    fill: var(--ink-2);
  }
  dl {
    display: grid;
    grid-template-columns: auto auto;
    gap: 0 var(--s4);
    margin: 0;
    font-size: var(--f-small);
  }
  dt {
    color: var(--ink-2);
  }
  dd {
    margin: 0;
    font-family: var(--mono);
  }
</style>
