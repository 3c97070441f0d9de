// What of idb the scripts use.

export interface Store {
  createIndex(name: string, path: string): unknown;
  put(value: unknown): Promise<unknown>;
  delete(key: string): Promise<void>;
}
export interface Transaction {
  readonly store: Store;
  readonly done: Promise<void>;
}
export interface Database {
  createObjectStore(name: string, options: { keyPath: string }): Store;
  getAllFromIndex(store: string, index: string, value: string): Promise<unknown[]>;
  transaction(store: string, mode: "readwrite", options: { durability: "strict" }): Transaction;
}
export function openDB(
  name: string,
  version: number,
  options: { upgrade(database: Database): void; terminated?(): void },
): Promise<Database>;
