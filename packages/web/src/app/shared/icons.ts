import type { IconDefinition } from '@ant-design/icons-angular';
import { CheckOutline, CloseOutline, DownOutline, SearchOutline } from '@ant-design/icons-angular/icons';

/** The few icons that NG-ZORRO's controls ask for. */
export const icons: IconDefinition[] = [CheckOutline, CloseOutline, DownOutline, SearchOutline];
