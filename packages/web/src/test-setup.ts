import '@angular/localize/init';
import { setupZonelessTestEnv } from 'jest-preset-angular/setup-env/zoneless';

setupZonelessTestEnv();
globalThis.ResizeObserver ??= class {
  observe(): void {}
  unobserve(): void {}
  disconnect(): void {}
};

// Figures and dates are written as the browser's languages say.
Object.defineProperty(navigator, 'languages', { value: ['en-GB'], configurable: true });
