import type { HttpErrorResponse } from '@angular/common/http';
import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import { addressOf, type Answer, type Call, type ProblemDetails, type RouteName } from '@versicle/contract';
import { catchError, map, type Observable, of, throwError } from 'rxjs';

/** What the server answered instead: a sentence for the person, and every fault when there are several. */
export class ServerProblem extends Error {
  constructor(
    message: string,
    readonly status: number,
    readonly faults: NonNullable<ProblemDetails['faults']> = [],
  ) {
    super(message);
  }
}

/** Requests to the server, by their names in the contract. */
@Injectable({ providedIn: 'root' })
export class Api {
  private readonly http = inject(HttpClient);

  call<N extends RouteName>(name: N, call: Call<N>): Observable<Answer<N>> {
    const { method, path: address } = addressOf(name);
    const params = (call.params ?? {}) as Record<string, string | number>;
    const path = address.replace(/:(\w+)/g, (_, key: string) => encodeURIComponent(String(params[key])));
    const query = Object.fromEntries(
      Object.entries((call.query ?? {}) as Record<string, unknown>)
        .filter(([, value]) => value !== undefined && value !== null && value !== '')
        .map(([key, value]) => [key, String(value)]),
    );
    const body = call.body === undefined && method !== 'get' ? {} : call.body;
    return this.http
      .request(method.toUpperCase(), `/api${path}`, { params: query, ...(body === undefined ? {} : { body }) })
      .pipe(
        map((answer) => answer as Answer<N>),
        catchError((error: HttpErrorResponse) => throwError(() => problemOf(error))),
      );
  }

  /** For effects: the answer as one action, or the problem as another. */
  asAction<N extends RouteName, A, B>(
    name: N,
    call: Call<N>,
    done: (answer: Answer<N>) => A,
    failed: (problem: string, error: ServerProblem) => B,
  ): Observable<A | B> {
    return this.call(name, call).pipe(
      map(done),
      catchError((error: ServerProblem) => of(failed(error.message, error))),
    );
  }
}

function problemOf(error: HttpErrorResponse): ServerProblem {
  const problem = (typeof error.error === 'string' ? tryJson(error.error) : error.error) as ProblemDetails | null;
  if (problem?.detail) return new ServerProblem(problem.detail, error.status, problem.faults ?? []);
  if (error.status === 0)
    return new ServerProblem(
      $localize`The server does not answer. Is it still running? The page tries again by itself when you go on.`,
      0,
    );
  return new ServerProblem($localize`The server answered with status ${error.status}.`, error.status);
}
function tryJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}
