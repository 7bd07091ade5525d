import type { HttpInterceptorFn } from '@angular/common/http';

const KEY = 'versicle.person';

/** Who sits here, as they said; kept in this browser. */
export function sayWho(name: string): void {
  try {
    if (name === '') localStorage.removeItem(KEY);
    else localStorage.setItem(KEY, name);
  } catch {
    // A browser that keeps nothing asks again next time.
  }
}
function whoSaid(): string | null {
  try {
    return localStorage.getItem(KEY);
  } catch {
    return null;
  }
}

/** The header that says who asks; none where nobody said it. */
export function personHeader(): Record<string, string> {
  const person = whoSaid();
  return person === null ? {} : { 'X-Person': encodeURIComponent(person) };
}

/** Requests say who asks. */
export const asPerson: HttpInterceptorFn = (request, next) => next(request.clone({ setHeaders: personHeader() }));
