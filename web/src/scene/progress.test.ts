import { describe, expect, it } from 'vitest';
import type { NodeStatus } from '../api/types';
import { partDone, progressWords, waitedFor } from './progress';

const status = (progress?: NodeStatus['progress']): NodeStatus => ({ state: 'worked', messages: [], facts: [], mends: [], marks: [], alike: {}, names: {}, millis: 0, progress });

describe('what is worked out frame by frame', () => {
  it('says how far it is, and whether anybody works at it', () => {
    expect(progressWords({ done: 57, of: 244, stopped: false })).toBe('frame 57 of 244');
    expect(progressWords({ done: 57, of: 244, stopped: true })).toBe('stopped at 57 of 244');
    expect(partDone({ done: 61, of: 244, stopped: true })).toBe(0.25);
  });

  it('is waited for while some of it is missing, and stopped only where all of it is', () => {
    expect(waitedFor({ a: status(), b: status() })).toBeNull();
    const [going, stopped] = [status({ done: 10, of: 40, stopped: false }), status({ done: 5, of: 20, stopped: true })];
    expect(waitedFor({ a: going, b: stopped, c: status() })).toEqual({ done: 15, of: 60, stopped: false });
    expect(waitedFor({ b: stopped })?.stopped).toBe(true);
  });
});
