import { nestedSettings, type Nested } from '../nested/settings.ts';

export interface JsonFormat extends Nested {
  readonly kind: 'json';
}

export const jsonSettings = nestedSettings<JsonFormat>('JSON', 'the top; such as data.items', 'the top');
