// What the line's scripts share. Times in ms since 1970, plan times in s, temperatures in °C.

export interface Move {
  id: string;
  kind: string;
  verb: string;
  cue: string;
  why: string;
  caution: string;
  core: number | null; // planned at it
  offset: number; // s of the plan
  due: number;
  done: number | null;
}

export interface Until {
  at: number;
  why: string;
}

export interface Truth {
  core: number;
  word: string | null;
  then: string | null; // what a piece that is nothing yet becomes first
  past: number | null;
  after: { best: Until | null; control: Until | null } | null;
  said: string[];
}

export interface Learned {
  from: number;
  likely: number;
  to: number;
  note: string;
}

export interface Medium {
  name: string;
  read: [number, number] | null;
  ask: string | null;
  reads: number | null;
  silent: string | null;
  clock: string | null;
}

export interface Second {
  part: string;
  read: [number, number] | null;
  target: number;
  learned: Learned | null;
  ask: string | null;
}

export interface Cook {
  id: string;
  title: string;
  station: string;
  count: number;
  started: number;
  finished: number | null;
  probe: string | null;
  next: number | null;
  lastEvent: string | null;
  target: number | null;
  pullCore: number | null;
  trace: [number, number][];
  learned: Learned | null;
  truth: Truth | null;
  readings: [number, number][]; // s from its start, °C
  lastReading: [number, number] | null; // ms since 1970, °C
  moves: Move[];
  marks: string[]; // of the events it has, the last ids
  probeFault: string | null;
  medium: Medium | null;
  second: Second | null;
}

export interface State {
  now: number;
  rate: number;
  zone: string;
  rev?: string;
  whole?: boolean;
  ids: string[];
  cooks: Cook[];
}

export type Change = Partial<Cook> & { id: string; readingsAdded?: [number, number][] };

export interface Told extends Omit<State, "cooks"> {
  cooks: Change[];
}

export interface Mark {
  id: string;
  cook: string;
  kind: string;
  occurred_at: number;
  device?: string;
  move?: string;
  seconds?: number;
  supersedes?: string;
  [more: string]: unknown;
}

export interface Refusal {
  id: string;
  event: Partial<Mark>;
  why: string;
}

export interface Clock {
  at(ms: number): string;
  between(a: number, b: number): string;
}

export interface View {
  now: number;
  rate: number;
  clock: Clock;
}
