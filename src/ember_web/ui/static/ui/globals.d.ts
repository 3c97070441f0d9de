// What other scripts put on the page.

declare global {
  interface Window {
    htmx?: { trigger(where: string | Element, what: string): void };
    django?: { catalog?: Record<string, string> };
    emberNow?: () => number;
  }
}

export {};
