import { openDB, type IDBPDatabase } from 'idb';
import type { Op } from '../api/types';

/** An edit that waits to be kept by the server. */
export interface Waiting {
  scene: string;
  client: string;
  sequence: number;
  label: string;
  ops: Op[];
}

type Stored = Waiting & { number?: number };

/**
 * Edits that the server has not kept yet, in the browser's own store: they outlive the page. What is asked
 * for is done in the order in which it was asked for.
 */
export class Queue {
  private readonly database: Promise<IDBPDatabase | null>;
  private last: Promise<unknown>;

  /** `trouble` is told once when the browser has no room or no store for edits. */
  constructor(private readonly trouble: (why: string) => void) {
    this.database = openDB('zickzack', 1, {
      upgrade: (database) => {
        database.createObjectStore('edits', { keyPath: 'number', autoIncrement: true }).createIndex('scene', 'scene');
      },
    }).catch(() => this.failed());
    this.last = this.database;
  }

  private failed(): null {
    this.trouble('This browser keeps nothing for this page: changes that are not kept by the server yet are lost when the page is closed.');
    return null;
  }

  private after<T>(work: (database: IDBPDatabase) => Promise<T>, otherwise: T): Promise<T> {
    const done = this.last.then(async () => {
      const database = await this.database;
      if (!database) return otherwise;
      try {
        return await work(database);
      } catch {
        this.failed();
        return otherwise;
      }
    });
    this.last = done;
    return done;
  }

  /** Keeps an edit until it is dropped. */
  keep(edit: Waiting): Promise<void> {
    return this.after(async (database) => {
      await database.add('edits', edit satisfies Stored);
    }, undefined);
  }

  /** Forgets an edit that the server has kept or refused. */
  drop(scene: string, client: string, sequence: number): Promise<void> {
    return this.after(async (database) => {
      const transaction = database.transaction('edits', 'readwrite');
      for await (const cursor of transaction.store.index('scene').iterate(scene)) {
        const { client: whose, sequence: number } = cursor.value as Stored;
        if (whose === client && number === sequence) await cursor.delete();
      }
      await transaction.done;
    }, undefined);
  }

  /** What waits for a scene, in the order in which it was done. */
  waiting(scene: string): Promise<Waiting[]> {
    return this.after(async (database) => {
      const stored = (await database.getAllFromIndex('edits', 'scene', scene)) as Stored[];
      return stored.sort((a, b) => (a.number ?? 0) - (b.number ?? 0)).map(({ client, sequence, label, ops }) => ({ scene, client, sequence, label, ops }));
    }, []);
  }

  close(): void {
    void this.last.then(async () => (await this.database)?.close());
  }
}
