import { describe, expect, it } from 'vitest';
import type { NodeSchema, Scene } from '../api/types';
import { carriedOver } from './schemas';

const choice = { name: 'pace', values: { kind: 'choice', options: ['laps', 'speed'], default: 'laps' } };
const schemas = [
  {
    name: 'ride',
    inputs: [],
    params: [
      choice,
      { name: 'laps', values: { kind: 'fraction', default: '1', min: -10, max: 10 }, only_when: ['pace', ['laps']] },
      { name: 'speed', values: { kind: 'number', default: 1, min: -100, max: 100 }, only_when: ['pace', ['speed']] },
      { name: 'start', values: { kind: 'number', default: 0 } },
    ],
  },
] as unknown as NodeSchema[];
const scene = (params: object) => ({ nodes: { a: { type: 'ride', name: 'Ride', params } } }) as unknown as Scene;
const over = (params: object, value: string, alike = { laps: '3/2', speed: 4.5 }) => carriedOver(schemas, scene(params), 'a', schemas[0]!.params[0]!, value, alike);

describe('what a new choice brings into use', () => {
  it('says the same as what it leaves out', () => {
    expect(over({}, 'speed')).toEqual([{ op: 'put', at: ['nodes', 'a', 'params', 'speed'], value: 4.5, before: undefined }]);
    expect(over({ pace: 'speed', laps: '7' }, 'laps')).toMatchObject([{ at: ['nodes', 'a', 'params', 'laps'], value: '3/2' }]);
  });

  it('stays as it is where it is driven, or in use already', () => {
    expect(over({ speed: { formula: 'frame' } }, 'speed')).toEqual([]);
    expect(over({}, 'laps')).toEqual([]);
  });

  it('stays as it is where it does not take so much: the choice must not be refused for it', () => {
    expect(over({}, 'speed', { laps: '3/2', speed: 101 })).toEqual([]);
    expect(over({ pace: 'speed' }, 'laps', { laps: '21/2', speed: 1 })).toEqual([]);
    expect(over({ pace: 'speed' }, 'laps', { laps: '-10', speed: 1 })).toHaveLength(1);
  });
});
