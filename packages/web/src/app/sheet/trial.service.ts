import { Injectable } from '@angular/core';
import type { DeclaredMarks, KeyMaps, MappingDocument } from '@versicle/core';
import { Observable } from 'rxjs';
import type { TrialAnswer, TrialQuestion, TrialRow } from './trial-messages';

export interface TrialRequest {
  readonly document: MappingDocument;
  readonly fields: readonly string[];
  readonly rows: readonly TrialRow[];
  readonly marks: DeclaredMarks;
  readonly keyMaps: KeyMaps;
  readonly variables: Readonly<Record<string, string>>;
  readonly sample: number;
  readonly line: string | null;
}

/** The sheet's worker: live results without holding up the keys. */
@Injectable({ providedIn: 'root' })
export class TrialService {
  private worker: Worker | null = null;
  private known: Partial<TrialRequest> = {};
  private nextId = 1;

  try(request: TrialRequest): Observable<TrialAnswer> {
    return new Observable((out) => {
      this.worker ??= new Worker(new URL('./sheet.worker', import.meta.url), { type: 'module' });
      const { worker, known } = this;
      const id = this.nextId++;
      const hear = ({ data }: MessageEvent<TrialAnswer>): void => {
        if (data.id !== id) return;
        out.next(data);
        out.complete();
      };
      const broke = (event: Event): void => {
        // The next question starts another worker, which knows nothing yet.
        worker.terminate();
        if (this.worker === worker) {
          this.worker = null;
          this.known = {};
        }
        const why =
          event instanceof ErrorEvent && event.message !== '' ? event.message : $localize`its program could not be run`;
        out.error(
          new Error(
            $localize`What computes the results broke: ${why}. The document is not touched; results come with the next edit.`,
          ),
        );
      };
      worker.addEventListener('message', hear);
      worker.addEventListener('error', broke);
      worker.addEventListener('messageerror', broke);
      const question: TrialQuestion = {
        id,
        ...(known.document === request.document ? {} : { document: request.document }),
        ...(known.fields === request.fields
          ? {}
          : {
              fields: request.fields,
              marks: request.marks,
              keyMaps: request.keyMaps,
              variables: request.variables,
            }),
        ...(known.rows === request.rows ? {} : { rows: request.rows }),
        sample: request.sample,
        line: request.line,
      };
      this.known = request;
      worker.postMessage(question);
      return () => {
        worker.removeEventListener('message', hear);
        worker.removeEventListener('error', broke);
        worker.removeEventListener('messageerror', broke);
      };
    });
  }
}
