// What of lit-html the scripts use.

export interface TemplateResult {
  readonly strings: TemplateStringsArray;
}
export function html(strings: TemplateStringsArray, ...values: unknown[]): TemplateResult;
export function svg(strings: TemplateStringsArray, ...values: unknown[]): TemplateResult;
export const nothing: unique symbol;
export function render(value: unknown, container: HTMLElement): unknown;
export function repeat<T>(items: Iterable<T>, key: (item: T) => unknown, template: (item: T) => unknown): unknown;
export function live(value: unknown): unknown;
export function classMap(classes: Record<string, boolean>): unknown;
export function ifDefined(value: unknown): unknown;
