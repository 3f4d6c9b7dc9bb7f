<script lang="ts">
  import { got, http, Problem, type Schemas } from '../api/client';

  /** Who belongs to a plant, with what role; its owner takes people in and out. */
  let { plant, owner, onchanged }: { plant: string; owner: boolean; onchanged: () => void } =
    $props();

  const ROLES = ['owner', 'engineer', 'assessor', 'reader'] as const;
  let members = $state.raw<Schemas['MemberOut'][]>([]);
  let name = $state('');
  let role = $state<(typeof ROLES)[number]>('engineer');
  let problem = $state('');
  const at = (member: string) => ({ params: { path: { key: plant, name: member } } });

  $effect(() => void load());

  async function load() {
    members = got(
      await http.GET('/api/plants/{key}/members', { params: { path: { key: plant } } }),
    );
  }

  async function attempt(work: () => Promise<unknown>) {
    problem = '';
    try {
      await work();
      name = '';
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    }
    await load();
    onchanged();
  }

  const put = (member: string, as: (typeof ROLES)[number]) =>
    attempt(async () =>
      got(
        await http.PUT('/api/plants/{key}/members/{name}', { ...at(member), body: { role: as } }),
      ),
    );
  const remove = (member: string) =>
    attempt(async () => got(await http.DELETE('/api/plants/{key}/members/{name}', at(member))));
</script>

<ul>
  {#each members as member (member.name)}
    <li>
      <strong>{member.name}</strong>
      {#if owner}
        <select
          value={member.role}
          aria-label="Role of {member.name}"
          onchange={(event) =>
            put(member.name, event.currentTarget.value as (typeof ROLES)[number])}
        >
          {#each ROLES as item (item)}<option>{item}</option>{/each}
        </select>
        <button class="plain" onclick={() => remove(member.name)}>Take out</button>
      {:else}<span class="quiet">{member.role}</span>{/if}
    </li>
  {/each}
</ul>
{#if owner}
  <form
    class="row"
    onsubmit={(event) => {
      event.preventDefault();
      void put(name.trim(), role);
    }}
  >
    <input bind:value={name} placeholder="Name of a user" aria-label="Name of a user" required />
    <select bind:value={role} aria-label="Role">
      {#each ROLES as item (item)}<option>{item}</option>{/each}
    </select>
    <button>Take in</button>
    <span class="quiet">Accounts are made with <code>./highmoor adduser NAME</code>.</span>
  </form>
{/if}
{#if problem}<p role="alert">{problem}</p>{/if}

<style>
  ul {
    list-style: none;
    margin: var(--s2) 0;
    padding: 0;
  }
  li {
    display: flex;
    gap: var(--s4);
    align-items: center;
    padding: var(--s1) 0;
  }
  strong {
    min-width: 140px;
  }
  p {
    color: var(--bracken);
  }
</style>
