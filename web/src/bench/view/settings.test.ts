import { describe, expect, it } from 'vitest';
import { enterScene, plainPlane, useView } from './settings';

describe('a work plane', () => {
  it('stays with its scene and is plain in another one', () => {
    enterScene('a');
    const tilted = { ...plainPlane, tilt: 30 };
    useView.setState({ plane: tilted });
    enterScene('a');
    expect(useView.getState().plane).toEqual(tilted);
    enterScene('b');
    expect(useView.getState().plane).toEqual(plainPlane);
  });
});
