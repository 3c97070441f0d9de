// What other scripts put on the page.

declare global {
  interface DocumentEventMap {
    "htmx:load": CustomEvent<{ elt: HTMLElement }>;
    "htmx:beforeRequest": CustomEvent<{ target?: Element; xhr: XMLHttpRequest }>;
    "htmx:beforeSwap": CustomEvent<{ target?: Element; xhr: XMLHttpRequest; shouldSwap: boolean }>;
  }
  var htmx:
    | {
        trigger(where: string | Element, what: string): void;
        ajax(verb: string, path: string, how: { target: string; swap: string }): Promise<void>;
      }
    | undefined;
  var django: { catalog?: Record<string, string> } | undefined;
  var emberNow: (() => number) | undefined;
}

export {};
