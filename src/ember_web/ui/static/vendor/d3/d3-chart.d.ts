// What of d3 the scripts use; d3's own types are far wider.

export interface Selection {
  append(tag: string): Selection;
  insert(tag: string, before: string): Selection;
  attr(name: string, value: unknown): Selection;
  call(draw: (selection: Selection) => void): Selection;
  remove(): Selection;
  select(query: string): Selection;
  selectAll(query: string): Selection;
  text(value: string): Selection;
  nodes(): Element[];
}
export interface Scale {
  (value: number): number;
  clamp(yes: boolean): Scale;
  domain(): [number, number];
  range(): [number, number];
  invert(value: number): number;
}
export interface Axis {
  (selection: Selection): void;
  tickValues(values: number[]): Axis;
  tickSize(size: number): Axis;
  tickPadding(padding: number): Axis;
  tickFormat(format: (value: number) => string): Axis;
}
export type Point = readonly number[];
export interface Line {
  (points: readonly Point[]): string | null;
  x(of: (point: Point) => number): Line;
  y(of: (point: Point) => number): Line;
}
export interface Area {
  (points: readonly Point[]): string | null;
  x(of: (point: Point) => number): Area;
  y0(of: (point: Point) => number): Area;
  y1(of: (point: Point) => number): Area;
}
export function area(): Area;
export function line(): Line;
export function axisBottom(scale: Scale): Axis;
export function axisLeft(scale: Scale): Axis;
export function scaleLinear(domain: readonly number[], range: readonly number[]): Scale;
export function select(element: Element): Selection;
