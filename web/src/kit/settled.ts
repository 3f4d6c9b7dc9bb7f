const AFTER_MS = 150;

/**
 * Asks once nothing has changed for a moment, and takes the answer over only if it is still wanted: to be returned from
 * an effect, which ends it when what it read changes. `ask` answers with what takes the answer over; what fails is
 * dropped, the old answer stays.
 */
export function settled(ask: () => Promise<() => void>, after = AFTER_MS): () => void {
  let wanted = true;
  const timer = window.setTimeout(() => {
    ask()
      .then((take) => {
        if (wanted) take();
      })
      .catch(() => {});
  }, after);
  return () => {
    wanted = false;
    window.clearTimeout(timer);
  };
}
