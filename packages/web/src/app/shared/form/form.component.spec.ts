import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { endpoint } from '@versicle/contract';
import { ENDPOINT_FORM } from '../../systems/endpoint-form';
import { freshEndpoint, textOf } from '../../systems/endpoint-text';
import { FormComponent } from './form.component';
import { mattering, type FormField, type FormValues } from './form-field';

const FIELDS: readonly FormField[] = [
  { name: 'host', title: 'Host', type: 'text', required: true, example: 'db.larkway.example' },
  { name: 'sign', title: 'Signed in by', type: 'choice', choices: [{ value: 'none', words: 'nobody' }] },
  { name: 'password', title: 'Password', type: 'text', secret: true, when: { entry: 'sign', is: ['password'] } },
  { name: 'old', title: 'The old one', type: 'text', when: { entry: 'password' } },
  { name: 'keys', title: 'Keys', type: 'number', when: { entry: 'host', has: '{keys}' } },
  { name: 'tls', title: 'over TLS', type: 'tick' },
];
const names = (values: FormValues): string[] => mattering(FIELDS, values).map((f) => f.name);

describe('entries that matter', () => {
  it('are those whose condition holds, also that of what they hang on', () => {
    expect(names({})).toEqual(['host', 'sign', 'tls']);
    expect(names({ sign: 'password' })).toEqual(['host', 'sign', 'password', 'tls']);
    expect(names({ sign: 'password', password: 'x' })).toContain('old');
    expect(names({ sign: 'none', password: 'x' })).not.toContain('old');
    expect(names({ host: '/a?no={keys}' })).toContain('keys');
  });
  it('of an endpoint cover all that it is made of', () => {
    const fresh = freshEndpoint();
    expect(ENDPOINT_FORM.map((e) => e.name).sort()).toEqual(Object.keys(fresh).sort());
    const shown = (patch: Partial<typeof fresh>): string[] =>
      mattering(ENDPOINT_FORM, { ...fresh, ...patch }).map((e) => e.name);
    expect(shown({})).not.toContain('batch');
    // Set before, but of no use as long as nothing is written.
    expect(shown({ answer: 'errors', place: 'id' })).not.toContain('idField');
    expect(shown({ writePath: '/a', answer: 'errors', place: 'id' })).toContain('idField');
    expect(shown(textOf(endpoint.parse({ path: '/a', paging: { kind: 'link', next: null } })))).not.toContain('size');
  });
});

describe('a form', () => {
  let fixture: ComponentFixture<FormComponent>;
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;
  const field = (label: string): HTMLInputElement => {
    const found = [...page().querySelectorAll('label')].find((l) => l.textContent!.trim().startsWith(label))!;
    return (found.querySelector('input') ?? page().querySelector(`[id="${found.htmlFor}"]`))!;
  };
  const show = (inputs: Readonly<Record<string, unknown>>): void => {
    for (const [name, value] of Object.entries({ fields: FIELDS, values: {}, ...inputs }))
      fixture.componentRef.setInput(name, value);
    fixture.detectChanges();
  };
  beforeEach(() => (fixture = TestBed.createComponent(FormComponent)));

  it('names its fields by their labels, and says what they take', () => {
    show({ values: { host: 'one' } });
    expect(field('Host').value).toBe('one');
    expect(field('Host').placeholder).toBe('such as db.larkway.example');
  });
  it('never shows a secret, and says that one is kept', () => {
    show({ values: { sign: 'password' }, kept: ['password'] });
    const secret = field('Password');
    expect([secret.type, secret.value, secret.placeholder]).toEqual(['password', '', '•••••••• kept']);
    expect(page().querySelector(`[id="${secret.getAttribute('aria-describedby')!}"]`)!.textContent).toMatch(
      /leave this empty/,
    );
  });
  it('says at the field what is wrong with it', () => {
    show({ problems: { host: 'Something must stand here.' } });
    expect(field('Host').getAttribute('aria-invalid')).toBe('true');
    expect(page().querySelector('[role=alert]')!.textContent).toContain('Something must stand here.');
    show({ problems: {} });
    expect(field('Host').getAttribute('aria-invalid')).toBeNull();
  });
  it('gives what is written with every key, or once somebody has finished', () => {
    const given: unknown[] = [];
    fixture.componentInstance.given.subscribe((g) => given.push(g));
    show({});
    field('Host').value = 'a';
    field('Host').dispatchEvent(new Event('input'));
    field('Host').dispatchEvent(new Event('change'));
    expect(given).toEqual([{ name: 'host', value: 'a' }]);
    show({ by: 'field' });
    field('Host').dispatchEvent(new Event('input'));
    field('Host').dispatchEvent(new Event('change'));
    expect(given).toHaveLength(2);
    field('over TLS').click();
    expect(given.at(-1)).toEqual({ name: 'tls', value: 'true' });
  });
});
