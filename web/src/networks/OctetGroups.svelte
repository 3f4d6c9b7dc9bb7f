<script lang="ts">
  import type { Schemas } from '../api/client';

  /** Octets that a device gets at its start, taken apart: whose each is, and which setting made it. */
  let { groups }: { groups: Schemas['OctetGroup'][] } = $props();

  type Group = Schemas['OctetGroup'];
  type Parameter = Group['parameters'][number];

  let over = $state('');

  const key = (group: Group, parameter: Parameter) =>
    `${group.label} ${parameter.field} ${parameter.first}`;
  const within = (parameter: Parameter, n: number) =>
    n >= parameter.first && n < parameter.first + parameter.octets;
  const lit = (group: Group, n: number) =>
    group.parameters.some((p) => within(p, n) && key(group, p) === over);
  const made = (group: Group, n: number) => group.parameters.some((p) => within(p, n));
  const bits = (p: Parameter) =>
    p.bits % 8 === 0 && !p.bit
      ? ''
      : p.bits === 1
        ? `, bit ${p.bit}`
        : `, bits ${p.bit}–${p.bit + p.bits - 1}`;
</script>

<div class="groups">
  {#each groups as group (group.row + group.label)}
    <div class="group">
      <span class="quiet head" title={group.label}>{group.label}</span>
      <span class="octets mono">
        {#each group.octets as octet, n (n)}<span
            class:made={made(group, n)}
            class:lit={lit(group, n)}>{octet}</span
          >{/each}
      </span>
      <ul>
        {#each group.parameters as p (key(group, p))}
          <li
            class:lit={over === key(group, p)}
            onpointerenter={() => (over = key(group, p))}
            onpointerleave={() => (over = '')}
          >
            <span class="mono at">{p.first}{bits(p)}</span>
            {p.label} <strong>{p.shown}</strong>
          </li>
        {/each}
      </ul>
    </div>
  {/each}
</div>

<style>
  .groups {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(250px, 1fr));
    gap: var(--s4) var(--s6);
    margin-bottom: var(--s4);
  }
  .group {
    display: flex;
    flex-direction: column;
    gap: var(--s2);
    min-width: 0;
  }
  .head {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .octets {
    display: flex;
    flex-wrap: wrap;
    font-size: var(--f-small);
  }
  .octets span {
    padding: 0 var(--s2);
    border: 1px solid var(--rule);
    margin-right: -1px;
    color: var(--ink-2);
  }
  .octets .made {
    background: var(--leaf);
    color: var(--ink);
  }
  .octets .lit {
    background: var(--heather-tint);
    border-color: var(--heather);
  }
  ul {
    margin: 0;
    padding: 0;
    list-style: none;
  }
  li.lit {
    background: var(--heather-tint);
  }
  .at {
    font-size: var(--f-tiny);
    color: var(--ink-2);
  }
</style>
