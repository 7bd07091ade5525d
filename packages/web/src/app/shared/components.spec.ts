import { TestBed } from '@angular/core/testing';
import { BandComponent } from '../runs/band.component';
import { CauseComponent } from './cause.component';
import { LoadingComponent } from './loading.component';
import { failed, idle, loaded } from './loadable';
import { SaidComponent } from './said.component';
import { StateComponent } from './states.component';

function shown<T>(component: new () => T, inputs: Record<string, unknown>): HTMLElement {
  const fixture = TestBed.createComponent(component);
  for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
  fixture.detectChanges();
  return fixture.nativeElement as HTMLElement;
}

describe('sentences', () => {
  it('set what stands in quotes as a value, and add no blanks', () => {
    const element = shown(SaidComponent, { text: '“5.36” is not a number with the decimal mark “,”.' });
    expect(element.textContent).toBe('5.36 is not a number with the decimal mark ,.');
    expect([...element.querySelectorAll('code')].map((c) => c.textContent)).toEqual(['5.36', ',']);
  });
  it('show an empty value as such, and markup as text', () => {
    expect(shown(SaidComponent, { text: '“” is no date' }).textContent).toBe('(empty) is no date');
    const element = shown(SaidComponent, { text: '“<b>x</b>”' });
    expect(element.querySelector('b')).toBeNull();
    expect(element.textContent).toBe('<b>x</b>');
  });
  it('name the line of a cause, with a small letter within a sentence', () => {
    const group = { line: 'l11', lineNumber: 11, label: 'Distance, km', message: 'Odd.' };
    expect(shown(CauseComponent, { group }).textContent).toBe('Line 11 Distance, km: Odd.');
    expect(shown(CauseComponent, { group, within: true }).textContent).toMatch(/^line 11/);
    expect(shown(CauseComponent, { group: { ...group, lineNumber: null } }).textContent).toBe('Check: Odd.');
    expect(shown(CauseComponent, { group: { ...group, line: null, lineNumber: null } }).textContent).toBe('Odd.');
  });
});

describe('the band of a run', () => {
  const counts = { read: 10, filtered: 1, skipped: 2, failed: 3, delivered: 4, remarks: 0 };
  it('adds up, in proportion', () => {
    const element = shown(BandComponent, { counts });
    expect(element.textContent).toContain('· it adds up');
    const widths = [...element.querySelectorAll<HTMLElement>('.band div')].map((d) => d.style.flexGrow);
    expect(widths).toEqual(['1', '2', '4', '3']);
  });
  it('says when it does not, and leaves out what is nothing', () => {
    const element = shown(BandComponent, { counts: { ...counts, read: 11, filtered: 0, remarks: 1 } });
    expect(element.textContent).toContain('it does not add up; 1 remark besides');
    expect(element.querySelectorAll('.band div')).toHaveLength(3);
  });
});

describe('states and loading', () => {
  it.each([
    ['agreed', 'full', false],
    ['question', 'round rubric', true],
    ['broken', 'round rubric', true],
    ['delivered', 'full', false],
  ])('%s is a word with a shape', (state, shape, red) => {
    const element = shown(StateComponent, { state });
    expect(element.textContent).toBe(state);
    expect([...element.querySelector('i')!.classList].sort().join(' ')).toBe(`${shape} shape`);
    expect(element.querySelector('.rub') !== null).toBe(red);
  });
  it('says why something could not be had, and offers to try again', () => {
    const element = shown(LoadingComponent, { of: failed('The server does not answer.', idle()) });
    expect(element.querySelector('[role=alert]')!.textContent).toContain('The server does not answer.');
    expect(element.querySelector('button')!.textContent).toContain('Try again');
    expect(shown(LoadingComponent, { of: idle() }).textContent).toContain('Loading');
    expect(shown(LoadingComponent, { of: loaded([]) }).textContent!.trim()).toBe('');
  });
});
