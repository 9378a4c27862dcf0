import { useSyncExternalStore } from 'react';

/** The playhead. Kept apart from the store, since it moves with every picture. */
class Clock {
  frame = 0;
  playing = false;
  private length = 120;
  private rate = 24;
  private last = 0;
  private request = 0;
  private readonly listeners = new Set<() => void>();

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  /** Loop length in frames, and frames per second. */
  setTiming(length: number, rate: number): void {
    this.length = length;
    this.rate = rate;
    if (this.frame >= length) this.seek(this.frame);
  }

  /** Goes to a frame, wrapped into the loop. */
  seek(frame: number): void {
    this.frame = frame - Math.floor(frame / this.length) * this.length;
    this.tell();
  }

  /** Goes some whole frames on. */
  step(frames: number): void {
    this.stop();
    this.seek(Math.round(this.frame) + frames);
  }

  toggle(): void {
    if (this.playing) this.stop();
    else this.play();
  }

  play(): void {
    if (this.playing) return;
    this.playing = true;
    this.last = performance.now();
    this.request = requestAnimationFrame(this.tick);
    this.tell();
  }

  stop(): void {
    if (!this.playing) return;
    this.playing = false;
    cancelAnimationFrame(this.request);
    this.frame = Math.floor(this.frame);
    this.tell();
  }

  private tick = (now: number): void => {
    this.seek(this.frame + ((now - this.last) / 1000) * this.rate);
    this.last = now;
    this.request = requestAnimationFrame(this.tick);
  };

  private tell(): void {
    for (const listener of this.listeners) listener();
  }
}

export const clock = new Clock();

/** The whole frame on screen. */
export const useFrame = (): number => useSyncExternalStore(clock.subscribe, () => Math.floor(clock.frame));
export const usePlaying = (): boolean => useSyncExternalStore(clock.subscribe, () => clock.playing);
