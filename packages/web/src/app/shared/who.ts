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

/** Requests say who asks. */
export const asPerson: HttpInterceptorFn = (request, next) => {
  const person = whoSaid();
  return next(person === null ? request : request.clone({ setHeaders: { 'X-Person': encodeURIComponent(person) } }));
};
