import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import MiniSearch from 'minisearch';
import { forkJoin, map, type Observable, shareReplay } from 'rxjs';
import { CHAPTERS } from './chapters';
import { type Section, sectionsOf } from './guide-text';

export interface GuideHit {
  readonly id: string;
  readonly chapter: string;
  readonly section: string;
  readonly title: string;
  readonly chapterTitle: string;
}

/** The guide as it is served with the application; each chapter is fetched once. */
@Injectable({ providedIn: 'root' })
export class Guide {
  private readonly http = inject(HttpClient);
  private readonly chapters = new Map<string, Observable<Section[]>>();

  chapter(id: string): Observable<Section[]> {
    const known = this.chapters.get(id);
    if (known) return known;
    const asked = this.http.get(`/guide/${encodeURIComponent(id)}.md`, { responseType: 'text' }).pipe(
      map(sectionsOf),
      // What could not be had is asked for again the next time.
      shareReplay({ bufferSize: 1, refCount: true }),
    );
    this.chapters.set(id, asked);
    return asked;
  }

  private index: Observable<MiniSearch> | null = null;
  /** Sections that have these words, or words like them; the best first. */
  find(words: string): Observable<GuideHit[]> {
    this.index ??= forkJoin(CHAPTERS.map((c) => this.chapter(c.id))).pipe(
      map((all) => {
        const index = new MiniSearch({
          fields: ['title', 'text', 'chapterTitle'],
          storeFields: ['chapter', 'section', 'title', 'chapterTitle'],
          searchOptions: { boost: { title: 3, chapterTitle: 1.5 }, prefix: true, fuzzy: 0.2, combineWith: 'AND' },
        });
        index.addAll(
          all.flatMap((sections, i) =>
            sections.map((s) => ({
              id: `${CHAPTERS[i]!.id}#${s.id}`,
              chapter: CHAPTERS[i]!.id,
              section: s.id,
              title: s.title,
              chapterTitle: CHAPTERS[i]!.title,
              text: s.text,
            })),
          ),
        );
        return index;
      }),
      shareReplay({ bufferSize: 1, refCount: false }),
    );
    return this.index.pipe(map((index) => index.search(words).slice(0, 30) as unknown as GuideHit[]));
  }
}
