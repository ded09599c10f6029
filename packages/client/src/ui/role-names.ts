import type { Role } from '@ivrex/contract';

export const ROLE_NAMES: Record<Role, string> = {
  beauty: 'Beauty',
  motion: 'Motion',
  depth: 'Depth',
  ids: 'Object ids',
  matte: 'Matte',
  shadow: 'Shadow',
  light: 'Light pass',
  plate: 'Plate',
  reference: 'Reference, blurred',
  other: 'Other',
};
