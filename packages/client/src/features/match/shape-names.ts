import type { ExposureShape } from '@ivrex/core';

export const SHAPE_NAMES: Record<ExposureShape['kind'], string> = { even: 'even', ramps: 'soft edges', bell: 'bell' };
