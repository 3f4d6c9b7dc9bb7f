<script lang="ts">
  import { got, http, Problem, type Schemas } from '../api/client';

  let { me, onsignedin }: { me: Schemas['Me']; onsignedin: (me: Schemas['Me']) => void } = $props();
  let name = $state('');
  let password = $state('');
  let problem = $state('');

  async function enter(event: SubmitEvent) {
    event.preventDefault();
    try {
      onsignedin(got(await http.POST('/api/session', { body: { name, password } })));
    } catch (error) {
      problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }
</script>

<main>
  <h1>Highmoor</h1>
  <p class="quiet">Specify, prove and hand over a control system.</p>
  <form onsubmit={enter}>
    <label>Name <input bind:value={name} autocomplete="username" required /></label>
    <label
      >Password <input
        type="password"
        bind:value={password}
        autocomplete="current-password"
        required
      /></label
    >
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    <button class="primary">Sign in</button>
  </form>
  {#if me.demo}<p><a href="/">Continue as the demo user</a></p>{/if}
</main>

<style>
  main {
    max-width: 320px;
    margin: 14vh auto;
    display: grid;
    gap: var(--s5);
  }
  h1 {
    font-size: var(--f-brand);
  }
  form,
  label {
    display: grid;
    gap: var(--s2);
  }
  form {
    gap: var(--s5);
  }
  .problem {
    color: var(--bracken);
  }
</style>
