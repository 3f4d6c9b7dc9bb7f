/** Take the focus when it appears: what was opened to be typed into is typed into. */
export function focused(node: HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement): void {
  node.focus();
  if (!(node instanceof HTMLInputElement) || node.type !== 'text') return;
  node.select();
  // What it begins with may be put in a moment later.
  queueMicrotask(() => node.select());
}

/** The same for a button: the answer to a question is at hand. */
export function focusedButton(node: HTMLButtonElement): void {
  node.focus();
}
