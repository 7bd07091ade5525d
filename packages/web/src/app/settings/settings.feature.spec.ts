import type { MadeApiKey } from '@versicle/contract';
import { settingsActions as a, settingsFeature, type SettingsState } from './settings.feature';

const made: MadeApiKey = {
  id: 'k1',
  name: 'nightly',
  may: ['start'],
  plans: null,
  madeBy: 'Ines Marlowe',
  madeAt: '2026-08-03T06:00:00.000Z',
  usedAt: null,
  key: 'vsk_secret',
};

describe('keys in the settings', () => {
  const after = (...actions: Parameters<typeof settingsFeature.reducer>[1][]): SettingsState =>
    actions.reduce<SettingsState | undefined>((s, action) => settingsFeature.reducer(s, action), undefined)!;

  it('a key is seen once, and never stands in the list', () => {
    const state = after(a.loaded({ keys: [] }), a.keyMade({ key: made }));
    expect(state.made?.key).toBe('vsk_secret');
    expect(JSON.stringify(state.keys)).not.toContain('vsk_secret');
    expect(after(a.loaded({ keys: [] }), a.keyMade({ key: made }), a.left()).made).toBeNull();
  });
  it('one that was taken back is gone, also where it had just been made', () => {
    const state = after(a.loaded({ keys: [] }), a.keyMade({ key: made }), a.takenBack({ id: 'k1' }));
    expect(state.keys.value).toEqual([]);
    expect(state.made).toBeNull();
  });
  it('what went wrong stands there until the next try', () => {
    expect(after(a.actFailed({ problem: 'No.' })).problem).toBe('No.');
    expect(after(a.actFailed({ problem: 'No.' }), a.takeBack({ id: 'k1' })).problem).toBeNull();
  });
});
