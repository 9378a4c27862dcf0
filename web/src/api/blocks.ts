import type { PosesHeader as SentPoses, Stamp } from './types';

export type { Stamp };

/** What a block of poses begins with. */
export type PosesHeader = Omit<SentPoses, 'kind'> & { kind: 'poses' };

export interface Joint {
  id: string;
  at: [number, number, number];
  kind: 'corner' | 'smooth';
  /** Handles as offsets, whether the point has some of its own or not. */
  in: [number, number, number];
  out: [number, number, number];
}

export interface PathHeader {
  kind: 'path';
  stamp: Stamp;
  node: string;
  /** Those that are drawn: of very many only every so manieth. */
  strands: { points: number; closed: boolean; length: number }[];
  /** How many there are. */
  of: number;
  /** All of them together, metres. */
  length: number;
  joints: Joint[];
  /** Places with axes after the points: position, direction and up, nine numbers each. */
  stations: number;
  param: 'points' | 'moved';
  still: boolean;
  /** Of a path that moves: how it is at so many moments, a step of frames apart, each strand as so many places, after all else. */
  moments?: { count: number; points: number; step: number } | null;
}

export interface TracesHeader {
  /** The channels of a thing; or the numbers of a node that change over time. */
  kind: 'traces' | 'signals';
  stamp: Stamp;
  node: string;
  object: number;
  steps: number;
  /** Of a node's numbers also the port, empty for the signal that it gives. */
  channels: { name: string; unit: string; port?: string }[];
}

/** The body of a kind of an end: places and normals of its corners, then three corners for each triangle. */
export interface BodyHeader {
  kind: 'body';
  stamp: Stamp;
  node: string;
  /** The number of the kind. */
  of: number;
  corners: number;
  triangles: number;
}

export type Header = PosesHeader | PathHeader | BodyHeader | TracesHeader;

/** A binary block of the live connection; throws where it is not one. */
export function decode(buffer: ArrayBuffer): { header: Header; numbers: Float32Array } {
  if (buffer.byteLength < 4) throw new Error('The block is too short.');
  const length = new DataView(buffer).getUint32(0, true);
  if (length % 4 !== 0 || 4 + length > buffer.byteLength) throw new Error('The header of the block is cut off.');
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length))) as Header;
  return { header, numbers: new Float32Array(buffer, 4 + length) };
}
