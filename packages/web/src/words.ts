import '@angular/localize/init';
import { loadTranslations } from '@angular/localize';
import { languageNow } from './app/frame/language';

/**
 * Before anything else is loaded: words are put in where they stand, in constants as well, so a translation must be there
 * first. That is why it is waited for; as long as the pages are shown as they are written, nothing is asked.
 */
const language = languageNow();
if (language !== null) {
  const ask = new XMLHttpRequest();
  ask.open('GET', `words/${language}.json`, false);
  ask.send();
  if (ask.status === 200 && /json/.test(ask.getResponseHeader('content-type') ?? '')) {
    loadTranslations(JSON.parse(ask.responseText) as Record<string, string>);
    document.documentElement.lang = language;
  } else console.error(`There are no words in ${language}; the pages are shown as they are written.`);
}
