import { note } from '../measure';
import { reset, say, setDocument, takeEnds, takeNodes, takePoses, useScene } from '../scene/store';
import { clock } from '../scene/clock';
import { applied as appliedTo } from '../scene/edits';
import { decode } from './blocks';
import type { FromPage, Op, ToPage } from './types';

const { getState: get, setState: set } = useScene;

/** Who this page is, over reloads; another tab is somebody else. */
function clientName(): string {
  const known = sessionStorage.getItem('client');
  if (known) return known;
  const name = crypto.randomUUID();
  sessionStorage.setItem('client', name);
  return name;
}

/** Grows over reloads too, so that no number is ever used twice. */
function nextSequence(): number {
  const sequence = Math.max(Number(sessionStorage.getItem('sequence') ?? 0) + 1, Date.now());
  sessionStorage.setItem('sequence', String(sequence));
  return sequence;
}

/** How long a preview may stay unanswered before the next is sent anyway, milliseconds. */
const PATIENCE = 1500;

/** The live connection of the bench to one scene. */
export class Live {
  private socket: WebSocket | null = null;
  private closed = false;
  private waitedFor = 0;
  private retry = 0;
  private previewNumber = 0;
  private unanswered: { number: number; since: number } | null = null;
  private next: Op[] | null = null;
  private readonly client = clientName();
  private unwatch: () => void;

  constructor(private readonly scene: string) {
    reset();
    this.open();
    this.unwatch = useScene.subscribe((now, before) => {
      if (now.thing !== before.thing) this.watch();
    });
  }

  /** Ends the connection for good. */
  close(): void {
    this.closed = true;
    this.unwatch();
    window.clearTimeout(this.retry);
    this.socket?.close();
  }

  /** Changes the scene: shown at once, kept when the server says so. */
  edit(label: string, ops: Op[]): void {
    const sequence = nextSequence();
    this.unanswered = null;
    this.next = null;
    setDocument({ pending: [...get().pending, { sequence, label, ops }], preview: null });
    note('sent', performance.now());
    this.send({ kind: 'edit', sequence, label, ops });
  }

  /** Shows a change without keeping it; only the newest counts. */
  preview(ops: Op[]): void {
    setDocument({ preview: ops });
    this.next = ops;
    const waiting = this.unanswered && performance.now() - this.unanswered.since < PATIENCE;
    if (!waiting) this.sendPreview();
  }

  /** Shows what is kept again. */
  endPreview(): void {
    setDocument({ preview: null });
    this.next = null;
    this.unanswered = null;
    this.send({ kind: 'end-preview', number: this.previewNumber });
  }

  undo(): void {
    this.send({ kind: 'undo', sequence: nextSequence() });
  }

  redo(): void {
    this.send({ kind: 'redo', sequence: nextSequence() });
  }

  private sendPreview(): void {
    if (!this.next) return;
    this.previewNumber += 1;
    this.unanswered = { number: this.previewNumber, since: performance.now() };
    note('sent', performance.now(), this.previewNumber);
    this.send({ kind: 'preview', number: this.previewNumber, ops: this.next });
    this.next = null;
  }

  private answered(number: number): void {
    if (this.unanswered && number >= this.unanswered.number) {
      this.unanswered = null;
      this.sendPreview();
    }
  }

  private watch(): void {
    const thing = get().thing;
    this.send({ kind: 'watch', node: thing?.node ?? null, object: thing?.object ?? 0, frame: clock.frame });
  }

  private send(message: FromPage): void {
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(message));
  }

  private open(): void {
    const address = `${window.location.protocol === 'https:' ? 'wss' : 'ws'}://${window.location.host}/api/scenes/${this.scene}/live`;
    const socket = new WebSocket(address);
    socket.binaryType = 'arraybuffer';
    this.socket = socket;
    socket.onopen = () => {
      this.waitedFor = 0;
      this.send({ kind: 'hello', client: this.client });
      // Sending an edit again is harmless: the server knows its number.
      for (const edit of get().pending) this.send({ kind: 'edit', ...edit });
      this.watch();
    };
    socket.onmessage = (event: MessageEvent<string | ArrayBuffer>) => this.take(event.data);
    socket.onclose = () => {
      if (this.closed) return;
      set({ connection: 'lost' });
      this.waitedFor = Math.min(8000, Math.max(500, this.waitedFor * 2));
      this.retry = window.setTimeout(() => this.open(), this.waitedFor);
    };
  }

  private take(data: string | ArrayBuffer): void {
    if (typeof data === 'string') {
      this.heed(JSON.parse(data) as ToPage);
      return;
    }
    const begun = performance.now();
    const { header, numbers } = decode(data);
    if (header.kind === 'poses') takePoses(header, numbers);
    else if (header.kind === 'path') set((state) => ({ paths: { ...state.paths, [header.node]: { header, numbers } } }));
    else set({ traces: { header, numbers } });
    if (header.kind === 'poses') note('decoded', begun, header.stamp.preview);
  }

  private heed(message: ToPage): void {
    switch (message.kind) {
      case 'scene':
        set({ connection: 'open' });
        setDocument({ base: message.document, revision: message.revision, canUndo: message.can_undo, canRedo: message.can_redo });
        break;
      case 'edited':
        this.edited(message);
        break;
      case 'refused':
        this.refused(message.sequence ?? null, message.message);
        break;
      case 'nodes':
        takeNodes(message.nodes);
        this.answered(message.preview);
        break;
      case 'ends':
        takeEnds(message.ends);
        break;
    }
  }

  private edited(message: Extract<ToPage, { kind: 'edited' }>): void {
    const state = get();
    const own = message.client === this.client;
    const pending = own ? state.pending.filter((edit) => edit.sequence !== message.sequence) : state.pending;
    const news = message.revision > state.revision && state.base !== null;
    setDocument({
      base: news && state.base ? appliedTo(state.base, message.ops) : state.base,
      revision: Math.max(state.revision, message.revision),
      pending,
      canUndo: message.can_undo,
      canRedo: message.can_redo,
    });
  }

  private refused(sequence: number | null, text: string): void {
    say(text);
    if (sequence === null) {
      this.answered(this.previewNumber);
      return;
    }
    setDocument({ pending: get().pending.filter((edit) => edit.sequence !== sequence) });
  }
}
