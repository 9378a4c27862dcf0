import type { components } from './generated/schema';

type Schemas = components['schemas'];

export type Scene = Schemas['Scene'];
export type SceneNode = Schemas['Node'];
export type Thread = Schemas['Thread'];
export type Op = Schemas['Op'];
export type NodeSchema = Schemas['Schema'];
export type Param = Schemas['Param'];
export type PortKind = Schemas['PortKind'];
export type Unit = Schemas['Unit'];
export type NodeStatus = Schemas['NodeStatus'];
export type EndReport = Schemas['EndReport'];
export type Offer = Schemas['Offer'];
export type Contact = Schemas['Contact'];
export type Miniature = Schemas['Miniature'];
export type LivingMiniature = Schemas['LivingMiniature'];
export type Listed = Schemas['Listed'];
export type Look = Schemas['Look'];
export type Kept = Schemas['Kept'];
export type FromPage = Schemas['FromPage'];
export type ToPage = Schemas['ToPage'];
export type Space = Schemas['Space'];
