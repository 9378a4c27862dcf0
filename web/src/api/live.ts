import { note } from '../measure';
import { clock } from '../scene/clock';
import { applied as appliedTo } from '../scene/edits';
import { Queue } from './queue';
import { Winding } from './winding';
import { reset, say, setDocument, takeBlock, takeEnds, takeLooks, takeNodes, useScene, type Pending } from '../scene/store';
import { decode } from './blocks';
import { Follower, HOLDS } from './follow';
import { isOpen, nextSequence, pageName } from './page';
import { kept } from './request';
import type { FromPage, Op, ToPage } from './types';

const { getState: get, setState: set } = useScene;

/** How long a preview may stay unanswered before the next is sent anyway, milliseconds. */
const PATIENCE = 1500;
/** How long a server that was asked whether it is there may take, milliseconds. */
const ANSWER = 5000;
/** How often the page looks whether time has passed without it, as on a machine that slept, milliseconds. */
const LOOK = 10_000;
/** Waiting times between tries, milliseconds. */
const SHORTEST = 300;
const LONGEST = 5000;
/** Characters of an edit beyond which it goes by a request of its own: the live connection takes small messages only. */
const LARGE = 1_000_000;
type Named = Pick<Pending, 'client' | 'sequence'>;

const nameOf = ({ client, sequence }: Named): string => `${client} ${sequence}`;

/** The live connection of the bench to one scene. */
export class Live {
  private socket: WebSocket | null = null;
  private closed = false;
  private welcome = false;
  private waitedFor = 0;
  private retry = 0;
  private previewNumber = 0;
  private unanswered: { number: number; since: number } | null = null;
  private next: Op[] | null = null;
  private seen: Op[] | null = null;
  /** What is dragged, without what belongs to it. */
  private dragged: Op[] = [];
  private readonly winding = new Winding();
  private showing = 0;
  private client = '';
  /** Names of what was sent and is not answered. The server keeps their order, also where one has to wait. */
  private readonly inFlight = new Set<string>();
  /** True while a large edit is on its way: what follows waits for its answer. */
  private large = false;
  private againIn = 0;
  private again = 0;
  private asked = 0;
  private looked = Date.now();
  private readonly queue = new Queue(say);
  private readonly unwatch: () => void;
  private watchedFrame = 0;
  private readonly follower = new Follower((frame) => this.watch(frame));
  private readonly looking: number;

  constructor(readonly scene: string) {
    reset();
    void this.begin();
    this.unwatch = useScene.subscribe((now, before) => {
      if (now.thing !== before.thing || now.selected !== before.selected) this.watch();
    });
    this.looking = window.setInterval(this.look, LOOK);
    window.addEventListener('online', this.ask);
    document.addEventListener('visibilitychange', this.ask);
  }

  /** Takes up what an earlier page left, and connects. */
  private async begin(): Promise<void> {
    this.client = await pageName();
    for (const left of await this.queue.waiting(this.scene)) {
      if (left.client !== this.client && (await isOpen(left.client))) continue;
      const { client, sequence, label, ops } = left;
      setDocument({ pending: [...get().pending, { client, sequence, label, ops, kind: 'edit', sent: true }] });
    }
    if (!this.closed) this.open();
  }

  /** Ends the connection for good. */
  close(): void {
    this.closed = true;
    this.unsee();
    this.unwatch();
    this.follower.close();
    window.clearTimeout(this.retry);
    window.clearTimeout(this.again);
    window.clearTimeout(this.asked);
    window.clearInterval(this.looking);
    window.removeEventListener('online', this.ask);
    document.removeEventListener('visibilitychange', this.ask);
    this.socket?.close();
    this.queue.close();
  }

  /** Changes the scene: shown at once, kept when the server says so; until then it waits in the browser. */
  edit(label: string, ops: Op[]): void {
    if (ops.length === 0) return;
    ops = [...ops, ...this.winding.ops()];
    this.winding.end();
    const edit: Pending = { client: this.client, sequence: nextSequence(), kind: 'edit', label, ops, sent: false };
    void this.queue.keep({ scene: this.scene, client: edit.client, sequence: edit.sequence, label, ops });
    this.unanswered = null;
    this.next = null;
    this.unsee();
    setDocument({ pending: [...get().pending, edit], withdrawn: [], preview: null });
    this.pump();
  }

  /** Shows a change without keeping it; only the newest counts. */
  preview(ops: Op[]): void {
    this.winding.begin(get().nodes, get().document);
    this.dragged = ops;
    this.next = [...ops, ...this.winding.ops()];
    this.seen = this.next;
    // A pointer may move more often than the page is drawn.
    this.showing ||= requestAnimationFrame(() => {
      this.showing = 0;
      setDocument({ preview: this.seen });
    });
    const waiting = this.unanswered && performance.now() - this.unanswered.since < PATIENCE;
    if (!waiting) this.sendPreview();
  }

  /** Forgets a preview that is not shown yet. */
  private unsee(): void {
    cancelAnimationFrame(this.showing);
    this.showing = 0;
    this.seen = null;
  }

  /** Shows what is kept again. */
  endPreview(): void {
    this.winding.end();
    this.unsee();
    setDocument({ preview: null });
    this.next = null;
    this.unanswered = null;
    this.send({ kind: 'end-preview', number: this.previewNumber });
  }

  /** Takes this page's last edit back: at once where it was not sent yet. */
  undo(): void {
    const { pending, withdrawn } = get();
    const last = pending.at(-1);
    if (last && last.kind === 'edit' && !last.sent && last.client === this.client) {
      void this.queue.drop({ scene: this.scene, client: last.client, sequence: last.sequence });
      setDocument({ pending: pending.slice(0, -1), withdrawn: [...withdrawn, last] });
    } else if (this.welcome) {
      this.wish('undo');
    } else {
      say('What the server has kept can be taken back when it is there again.');
    }
  }

  /** Does again what was taken back last. */
  redo(): void {
    const { pending, withdrawn } = get();
    const last = withdrawn.at(-1);
    if (last) {
      const again = { ...last, sequence: nextSequence() };
      void this.queue.keep({ scene: this.scene, client: again.client, sequence: again.sequence, label: again.label, ops: again.ops });
      setDocument({ pending: [...pending, again], withdrawn: withdrawn.slice(0, -1) });
      this.pump();
    } else if (this.welcome) {
      this.wish('redo');
    } else {
      say('What the server has kept can be done again when it is there again.');
    }
  }

  private wish(kind: 'undo' | 'redo'): void {
    setDocument({ pending: [...get().pending, { client: this.client, sequence: nextSequence(), kind, label: kind, ops: [], sent: false }] });
    this.pump();
  }

  /** Lays a version beneath the scene; none ends that. */
  compare(version: { id: string; name: string } | null): void {
    set({ compared: version && { ...version, paths: {}, poses: {}, traces: null } });
    this.send({ kind: 'compare', version: version?.id ?? null });
  }

  /** Stops the work at what is recorded for a node, or goes on with it. */
  hold(node: string, hold: boolean): void {
    this.send({ kind: 'hold', node, hold });
  }

  /** Has the scene worked out, though the server ended over it. */
  workOut(): void {
    this.send({ kind: 'work-out' });
  }

  /** Sends what is pending and was not sent on this connection, in order. */
  private pump(): void {
    if (this.again || !this.welcome || this.large) return;
    const going: { edit: Pending; text: string }[] = [];
    for (const edit of get().pending.filter((edit) => !this.inFlight.has(nameOf(edit)))) {
      const text = JSON.stringify(this.messageOf(edit));
      // A large one goes alone, once all before it is answered.
      if (text.length > LARGE && going.length + this.inFlight.size > 0) break;
      going.push({ edit, text });
      if (text.length > LARGE) break;
    }
    if (going.length === 0) return;
    this.watchFrame();
    const names = new Set(going.map(({ edit }) => nameOf(edit)));
    setDocument({ pending: get().pending.map((edit) => (edit.sent || !names.has(nameOf(edit)) ? edit : { ...edit, sent: true })) });
    for (const { edit, text } of going) {
      this.inFlight.add(nameOf(edit));
      note('sent', performance.now());
      if (text.length > LARGE) void this.sendLarge(edit);
      else this.sendText(text);
    }
  }

  private messageOf({ kind, sequence, label, ops, client }: Pending): FromPage {
    if (kind !== 'edit') return { kind, sequence };
    return { kind, sequence, label, ops, ...(client === this.client ? {} : { client }) };
  }

  /** Sends an edit by a request of its own. That it is kept is told over the live connection too, with what it changed. */
  private async sendLarge({ client, sequence, label, ops }: Pending): Promise<void> {
    this.large = true;
    const answer = await kept(`/api/scenes/${this.scene}/edits`, { client, sequence, label, ops });
    this.large = false;
    if (this.closed) return;
    const name = nameOf({ client, sequence });
    if (answer.kind === 'edited' && answer.revision > get().revision) {
      // A connection that is new since then may never tell of it: it is asked once more.
      if (!this.inFlight.has(name)) this.pump();
      return;
    }
    // It is answered now, also where the connection was lost meanwhile.
    this.inFlight.add(name);
    if (answer.kind === 'refused') this.refused({ ...answer, sequence });
    else this.edited(answer);
  }

  /** What was on its way is answered. */
  private answeredEdit(edit: Named): void {
    if (!this.inFlight.delete(nameOf(edit))) return;
    this.againIn = 0;
    void this.queue.drop({ scene: this.scene, client: edit.client, sequence: edit.sequence });
  }

  /** Asks again in a while, longer each time. */
  private later(): void {
    this.inFlight.clear();
    this.againIn = Math.min(LONGEST, Math.max(SHORTEST, 2 * this.againIn));
    window.clearTimeout(this.again);
    this.again = window.setTimeout(() => {
      this.again = 0;
      this.pump();
    }, this.againIn);
  }

  private sendPreview(): void {
    if (!this.next) return;
    const text = JSON.stringify({ kind: 'preview', number: this.previewNumber + 1, ops: this.next } satisfies FromPage);
    this.next = null;
    // What is too large to be tried is seen when it is kept.
    if (text.length > LARGE) return;
    this.previewNumber += 1;
    this.watchFrame();
    this.unanswered = { number: this.previewNumber, since: performance.now() };
    note('sent', performance.now(), this.previewNumber);
    this.sendText(text);
  }

  private answered(number: number): void {
    if (this.unanswered && number >= this.unanswered.number) {
      this.unanswered = null;
      this.sendPreview();
    }
  }

  /** What is worked out next begins with the frame on screen, wherever the playhead has gone since. */
  private watchFrame(): void {
    if (this.watchedFrame !== clock.frame) this.watch();
  }

  private watch(frame = clock.frame): void {
    const { thing, selected } = get();
    this.watchedFrame = frame;
    this.send({ kind: 'watch', node: thing?.node ?? null, object: thing?.object ?? 0, frame, chosen: selected });
  }

  private send(message: FromPage): void {
    this.sendText(JSON.stringify(message));
  }

  private sendText(text: string): void {
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(text);
  }

  private open(): void {
    const address = `${window.location.protocol === 'https:' ? 'wss' : 'ws'}://${window.location.host}/api/scenes/${this.scene}/live`;
    const socket = new WebSocket(address);
    socket.binaryType = 'arraybuffer';
    this.socket = socket;
    socket.onopen = () => {
      this.waitedFor = 0;
      this.send({ kind: 'hello', client: this.client, holds: HOLDS });
      this.watch();
      const { compared } = get();
      if (compared) this.send({ kind: 'compare', version: compared.id });
    };
    socket.onmessage = (event: MessageEvent<string | ArrayBuffer>) => {
      window.clearTimeout(this.asked);
      this.asked = 0;
      this.take(event.data);
    };
    socket.onclose = () => this.lost(socket);
  }

  /** Without a connection: it is tried again, and what was on its way is sent again then. */
  private lost(socket: WebSocket): void {
    if (this.closed || this.socket !== socket) return;
    this.socket = null;
    this.welcome = false;
    this.inFlight.clear();
    this.unanswered = null;
    window.clearTimeout(this.again);
    window.clearTimeout(this.asked);
    this.again = 0;
    this.asked = 0;
    set({ connection: 'lost' });
    this.waitedFor = Math.min(LONGEST, Math.max(SHORTEST, this.waitedFor * 2));
    window.clearTimeout(this.retry);
    this.retry = window.setTimeout(() => this.open(), this.waitedFor);
  }

  /** A page that slept may hold a connection that is gone without a word. */
  private readonly look = (): void => {
    const now = Date.now();
    const slept = Math.abs(now - this.looked - LOOK) > LOOK;
    this.looked = now;
    if (slept) this.ask();
  };

  private readonly ask = (): void => {
    if (document.visibilityState === 'hidden') return;
    const socket = this.socket;
    if (!socket) {
      if (this.client && !this.closed) {
        window.clearTimeout(this.retry);
        this.open();
      }
      return;
    }
    if (socket.readyState !== WebSocket.OPEN || this.asked) return;
    this.send({ kind: 'here' });
    this.asked = window.setTimeout(() => {
      socket.close();
      this.lost(socket);
    }, ANSWER);
  };

  private take(data: string | ArrayBuffer): void {
    if (typeof data === 'string') return this.heed(JSON.parse(data) as ToPage);
    const begun = performance.now();
    const { header, numbers } = decode(data);
    takeBlock(header, numbers);
    if (header.kind !== 'poses') return;
    note('decoded', begun, header.stamp.preview);
    // What is on screen is there; where much more follows, the next step of a drag need not wait for it.
    if (header.stamp.preview > 0 && header.count < header.frames) this.answered(header.stamp.preview);
  }

  private heed(message: ToPage): void {
    switch (message.kind) {
      case 'scene':
        this.welcome = true;
        set({ connection: 'open', stopping: false });
        setDocument({ base: message.document, revision: message.revision, undo: message.undo ?? null, redo: message.redo ?? null });
        this.pump();
        break;
      case 'edited':
        this.edited(message);
        break;
      case 'refused':
        this.refused(message);
        break;
      case 'looks':
        takeLooks(message.ends);
        break;
      case 'nodes':
        set({ withheld: null });
        takeNodes(message.nodes);
        if (message.preview > 0 && this.winding.take(message.nodes)) this.preview(this.dragged);
        this.answered(message.preview);
        break;
      case 'ends':
        takeEnds(message.ends);
        break;
      case 'shown':
        if (message.preview === 0) set({ measured: message.revision });
        break;
      case 'held':
        // What was found before may be so no more.
        set({ withheld: message.message, nodes: {}, looks: [], bodies: {}, ends: [], endsKnown: false, traces: null });
        this.answered(this.previewNumber);
        break;
      case 'stopping':
        set({ stopping: true });
        break;
    }
  }

  private edited(message: Extract<ToPage, { kind: 'edited' }>): void {
    const state = get();
    const { client, sequence } = message;
    this.answeredEdit(message);
    const news = message.revision > state.revision && state.base !== null;
    setDocument({
      base: news && state.base ? appliedTo(state.base, message.ops) : state.base,
      revision: Math.max(state.revision, message.revision),
      pending: state.pending.filter((edit) => edit.client !== client || edit.sequence !== sequence),
      trouble: null,
      undo: message.undo ?? null,
      redo: message.redo ?? null,
    });
    this.pump();
  }

  private refused({ sequence, message, later }: Extract<ToPage, { kind: 'refused' }>): void {
    if (sequence === null || sequence === undefined) {
      say(message);
      this.answered(this.previewNumber);
      return;
    }
    const held = get().pending.find((edit) => edit.sequence === sequence);
    if (later && held?.kind === 'edit') {
      // Several may be told to wait; the first of them says why and sets the clock.
      if (this.inFlight.has(nameOf(held))) {
        setDocument({ trouble: message });
        this.later();
      }
      return;
    }
    say(message);
    if (held) this.answeredEdit(held);
    setDocument({ pending: get().pending.filter((edit) => edit.sequence !== sequence), trouble: null });
    this.pump();
  }
}
