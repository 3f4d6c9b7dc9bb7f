/** Take the focus when it appears: what was opened to be typed into is typed into. */
export function focused(node: HTMLInputElement | HTMLSelectElement): void {
  node.focus();
  if (node instanceof HTMLInputElement && node.type === 'text') node.select();
}
