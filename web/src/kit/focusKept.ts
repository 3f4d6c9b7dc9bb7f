/**
 * Where the focus goes when what had it is no longer there: to the same thing drawn anew, to what had the focus before,
 * or to what has taken its place. Without this it falls to the page, and the next key does nothing.
 */
type Seen = { node: HTMLElement; said: string; around: HTMLElement[] };

const CAN = 'button, [href], input, select, textarea, [tabindex="0"]';
const KEPT = 6;

const said = (node: HTMLElement) =>
  `${node.tagName} ${node.getAttribute('aria-label') ?? node.textContent?.trim() ?? ''}`;

function around(node: HTMLElement): HTMLElement[] {
  const all: HTMLElement[] = [];
  for (let at = node.parentElement; at; at = at.parentElement) all.push(at);
  return all;
}

const shown = (node: HTMLElement) =>
  node.isConnected && !node.matches(':disabled') && node.getClientRects().length > 0;

function inPlaceOf(seen: Seen): HTMLElement | undefined {
  if (shown(seen.node)) return seen.node;
  const home = seen.around.find((one) => one.isConnected);
  if (!home) return undefined;
  return [...home.querySelectorAll<HTMLElement>(CAN)].find(
    (one) => said(one) === seen.said && shown(one),
  );
}

/** Watch over the page; returns what ends the watch. */
export function keepFocus(page: Document): () => void {
  let seen: Seen[] = [];
  let lost: Seen | undefined;
  let waiting = false;

  function came(event: FocusEvent) {
    const node = event.target as HTMLElement;
    if (node === page.body || !node.isConnected) return;
    lost = { node, said: said(node), around: around(node) };
    seen = [lost, ...seen.filter((one) => one.node !== node)].slice(0, KEPT);
  }

  function went(event: FocusEvent) {
    const node = event.target as HTMLElement;
    // Whoever clicks on nothing has left of his own accord.
    if (!event.relatedTarget)
      queueMicrotask(() => {
        const left = node.isConnected && !node.matches(':disabled');
        if (left && page.activeElement === page.body) lost = undefined;
      });
  }

  function changed() {
    if (!lost || waiting || page.activeElement !== page.body) return;
    // What is switched off for a moment comes back.
    if (lost.node.isConnected && !shown(lost.node)) return;
    waiting = true;
    // After the view has settled: what is drawn anew takes the focus itself if it wants it.
    requestAnimationFrame(() => {
      waiting = false;
      const gone = lost;
      if (!gone || page.activeElement !== page.body) return;
      const home = gone.around.find((one) => one.isConnected && one !== page.body);
      const next =
        seen.map(inPlaceOf).find((one) => one !== undefined) ??
        [...(home?.querySelectorAll<HTMLElement>(CAN) ?? [])].find(shown) ??
        home?.closest<HTMLElement>(CAN);
      // Where nothing is drawn yet, the next change is waited for.
      next?.focus({ preventScroll: true });
    });
  }

  const watch = new MutationObserver(changed);
  watch.observe(page.body, { childList: true, subtree: true, attributeFilter: ['disabled'] });
  page.addEventListener('focusin', came);
  page.addEventListener('focusout', went);
  return () => {
    watch.disconnect();
    page.removeEventListener('focusin', came);
    page.removeEventListener('focusout', went);
  };
}
