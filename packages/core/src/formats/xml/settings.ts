import { nestedSettings, type Nested } from '../nested/settings.ts';

export interface XmlFormat extends Nested {
  readonly kind: 'xml';
}

export const xmlSettings = nestedSettings<XmlFormat>('XML', 'such as repairs/order');
