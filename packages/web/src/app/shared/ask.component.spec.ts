import { TestBed } from '@angular/core/testing';
import { AskComponent } from './ask.component';

describe('a question before something happens', () => {
  const asked = (inputs: Readonly<Record<string, string>>) => {
    const fixture = TestBed.createComponent(AskComponent);
    for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
    fixture.detectChanges();
    const page = fixture.nativeElement as HTMLElement;
    const said: string[] = [];
    fixture.componentInstance.done.subscribe((why) => said.push(`done ${why}`));
    fixture.componentInstance.alsoDone.subscribe((why) => said.push(`also ${why}`));
    fixture.componentInstance.letBe.subscribe(() => said.push('let be'));
    const press = (words: string): void => {
      [...page.querySelectorAll('button')].find((b) => b.textContent!.trim() === words)!.click();
      fixture.detectChanges();
    };
    return { page, said, press };
  };

  it('does what its button says, or lets it be', () => {
    const { page, said, press } = asked({ about: 'Replay', does: 'Replay 12' });
    expect(page.querySelector('[role=alertdialog]')!.getAttribute('aria-label')).toBe('Replay');
    press('Replay 12');
    press('Not now');
    page.querySelector('form')!.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape' }));
    expect(said).toEqual(['done ', 'let be', 'let be']);
  });
  it('does nothing without the reason that it asks for', () => {
    const { page, said, press } = asked({ about: 'Close', does: 'Close this one', also: 'Close all 7', reason: 'Why' });
    const field = page.querySelector('input')!;
    const write = (text: string): void => {
      field.value = text;
      field.dispatchEvent(new Event('input'));
    };
    write('   ');
    press('Close all 7');
    expect(page.querySelector('[role=alert]')!.textContent).toContain('A reason must stand here.');
    write(' Sold. ');
    press('Close this one');
    press('Close all 7');
    expect(said).toEqual(['done Sold.', 'also Sold.']);
  });
});
