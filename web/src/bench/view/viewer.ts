import type { Stage } from './scene3d/stage';

/** The picture on the bench, for what stands outside the View and needs to know what is seen. */
export const viewer: { stage: Stage | null } = { stage: null };
