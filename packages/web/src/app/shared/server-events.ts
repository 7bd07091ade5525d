import { Injectable } from '@angular/core';
import type { ServerEvent } from '@versicle/contract';
import { Observable, share } from 'rxjs';

/**
 * What the server tells while the page is open. `connected` comes first and after each interruption: what happened until
 * then was not told.
 */
@Injectable({ providedIn: 'root' })
export class ServerEvents {
  readonly stream: Observable<ServerEvent | { type: 'connected' }> = new Observable<
    ServerEvent | { type: 'connected' }
  >((out) => {
    const source = new EventSource('/api/events');
    source.onopen = () => out.next({ type: 'connected' });
    source.onmessage = (message: MessageEvent<string>) => {
      out.next(JSON.parse(message.data) as ServerEvent);
    };
    return () => source.close();
  }).pipe(share());
}
