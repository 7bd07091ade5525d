import { ChangeDetectionStrategy, Component } from '@angular/core';
import { RouterLink } from '@angular/router';

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `
    <div class="page">
      <h1 i18n>There is no such page</h1>
      <p i18n class="sub">The address may be mistyped, or what it led to is gone.</p>
      <a i18n routerLink="/today" class="btn">Go to today</a>
    </div>
  `,
})
export class NotFoundPage {}
