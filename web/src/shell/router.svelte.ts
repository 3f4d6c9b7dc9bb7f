/** Addresses: every stage and object has one, and Back works. */
class Router {
  path = $state(window.location.pathname);

  constructor() {
    window.addEventListener('popstate', () => (this.path = window.location.pathname));
  }

  /** The parts of the address: /p/KEY/STAGE/OBJECT. */
  get parts(): string[] {
    return this.path.split('/').filter(Boolean).map(decodeURIComponent);
  }

  go(path: string, { replace = false } = {}): void {
    if (path === this.path) return;
    window.history[replace ? 'replaceState' : 'pushState']({}, '', path);
    this.path = path;
  }

  /** A way on from here for when an answer has come: whoever went elsewhere meanwhile stays there. */
  onward(): (path: string) => void {
    const here = this.path;
    return (path) => {
      if (this.path === here) this.go(path);
    };
  }
}

export const router = new Router();
