import { openDB, type IDBPDatabase } from 'idb';
import type { Op } from './types';

/** An edit that waits to be kept by the server. */
export interface Waiting {
  scene: string;
  client: string;
  sequence: number;
  label: string;
  ops: Op[];
}

type Named = Pick<Waiting, 'scene' | 'client' | 'sequence'>;
type Stored = Waiting & { number: number };

const nameOf = ({ scene, client, sequence }: Named): string => `${scene} ${client} ${sequence}`;

/** Begins the names of edits that are on their way into the browser's store. */
const NOTED = 'waiting ';

/**
 * Edits that the server has not kept yet, in the browser's own store: they outlive the page. The store takes its
 * time, and a page that is left in the meantime takes back what it had begun; so each edit is noted at once in the
 * small store that answers at once, until it is in the large one.
 */
export class Queue {
  private readonly database: Promise<IDBPDatabase | null>;
  /** Numbers of edits in the store, by name, as soon as they are there. */
  private readonly numbers = new Map<string, Promise<number | null>>();

  /** `trouble` is told when the browser has no room or no store for edits. */
  constructor(private readonly trouble: (why: string) => void) {
    // A browser that keeps nothing may say so at once or later.
    this.database = Promise.resolve().then(open).catch(() => this.failed());
  }

  private failed(): null {
    this.trouble('This browser keeps nothing for this page: changes that are not kept by the server yet are lost when the page is closed.');
    return null;
  }

  private async within<T>(work: (database: IDBPDatabase) => Promise<T>): Promise<T | null> {
    const database = await this.database;
    if (!database) return null;
    try {
      return await work(database);
    } catch {
      return this.failed();
    }
  }

  /** Keeps an edit until it is dropped. */
  async keep(edit: Waiting): Promise<void> {
    const name = nameOf(edit);
    try {
      localStorage.setItem(NOTED + name, JSON.stringify(edit));
    } catch {
      // The small store is full or shut: the large one has it in a moment.
    }
    const number = this.within(async (database) => (await database.add('edits', edit)) as number);
    this.numbers.set(name, number);
    if ((await number) !== null) localStorage.removeItem(NOTED + name);
  }

  /** Forgets an edit that the server has kept or refused. */
  async drop(edit: Named): Promise<void> {
    const name = nameOf(edit);
    const number = await this.numbers.get(name);
    this.numbers.delete(name);
    localStorage.removeItem(NOTED + name);
    if (number !== null && number !== undefined) await this.within((database) => database.delete('edits', number));
  }

  /** What waits for a scene, in the order in which it was done. */
  async waiting(scene: string): Promise<Waiting[]> {
    const stored = ((await this.within((database) => database.getAllFromIndex('edits', 'scene', scene))) ?? []) as Stored[];
    const found = new Map<string, Waiting>();
    for (const edit of noted()) if (edit.scene === scene) found.set(nameOf(edit), edit);
    for (const { number, ...edit } of stored) {
      this.numbers.set(nameOf(edit), Promise.resolve(number));
      found.set(nameOf(edit), edit);
    }
    // Sequences grow with every edit of a page, and by the clock from page to page.
    return [...found.values()].sort((a, b) => a.sequence - b.sequence);
  }

  close(): void {
    void Promise.all(this.numbers.values()).then(async () => (await this.database)?.close());
  }
}

const open = (): Promise<IDBPDatabase> =>
  openDB('zickzack', 1, {
    upgrade: (database) => {
      database.createObjectStore('edits', { keyPath: 'number', autoIncrement: true }).createIndex('scene', 'scene');
    },
  });

/** Edits that did not get into the store before their page was left. */
function noted(): Waiting[] {
  return Array.from({ length: localStorage.length }, (_, i) => localStorage.key(i)).flatMap((key) => {
    if (!key?.startsWith(NOTED)) return [];
    try {
      return [JSON.parse(localStorage.getItem(key) ?? '') as Waiting];
    } catch {
      localStorage.removeItem(key);
      return [];
    }
  });
}
