// What other scripts put on the page.

declare global {
  var htmx: { trigger(where: string | Element, what: string): void } | undefined;
  var django: { catalog?: Record<string, string> } | undefined;
  var emberNow: (() => number) | undefined;
}

export {};
