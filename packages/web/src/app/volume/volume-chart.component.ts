import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  type ElementRef,
  inject,
  input,
  signal,
  viewChild,
} from '@angular/core';
import type { Volume } from '@versicle/contract';
import { BarController, BarElement, CategoryScale, Chart, LinearScale, Tooltip } from 'chart.js';
import { bytesWords, figure } from '../shared/words';
import { MEASURES, sumsOf, timesOf, type Measure } from './times';

Chart.register(BarController, BarElement, CategoryScale, LinearScale, Tooltip);

/** How much was moved, by day or month. */
@Component({
  selector: 'vs-volume-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="chart"><canvas #canvas role="img" [attr.aria-label]="words()"></canvas></div>`,
  styles: `
    .chart {
      height: 200px;
      position: relative;
      margin: 8px 0 18px;
    }
  `,
})
export class VolumeChartComponent {
  readonly of = input.required<Volume>();
  readonly measure = input.required<Measure>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private readonly chart = signal<Chart<'bar', number[], string> | null>(null);
  private readonly times = computed(() => timesOf(this.of()));
  private readonly sums = computed(() => sumsOf(this.of().rows, this.times(), this.measure()));
  protected readonly words = computed(() => {
    const sums = this.sums();
    const most = Math.max(0, ...sums);
    return $localize`${MEASURES[this.measure()]} by time, at most ${this.figure(most)} (${this.times()[sums.indexOf(most)] ?? ''}); the table has all of them`;
  });

  constructor() {
    afterNextRender(() => this.chart.set(this.make()));
    inject(DestroyRef).onDestroy(() => this.chart()?.destroy());
    effect(() => {
      const chart = this.chart();
      if (!chart) return;
      chart.data = { labels: this.times(), datasets: [{ ...chart.data.datasets[0]!, data: this.sums() }] };
      chart.update('none');
    });
  }
  private figure(value: number): string {
    return this.measure().startsWith('bytes') ? bytesWords(value) : figure(value);
  }
  private make(): Chart<'bar', number[], string> {
    const style = getComputedStyle(document.body);
    const [act, hair, dim] = ['--act', '--hair', '--ink-3'].map((name) => style.getPropertyValue(name).trim());
    const font = { family: style.getPropertyValue('--mono'), size: 11 };
    return new Chart<'bar', number[], string>(this.canvas().nativeElement, {
      type: 'bar',
      data: { labels: [], datasets: [{ data: [], backgroundColor: act!, maxBarThickness: 26 }] },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        plugins: {
          tooltip: { displayColors: false, callbacks: { label: ({ parsed }) => this.figure(parsed.y ?? 0) } },
        },
        scales: {
          x: { grid: { display: false }, border: { color: hair! }, ticks: { color: dim!, font, maxRotation: 0 } },
          y: {
            beginAtZero: true,
            grid: { color: hair! },
            border: { display: false },
            ticks: { color: dim!, font, maxTicksLimit: 5, callback: (v) => this.figure(Number(v)) },
          },
        },
      },
    });
  }
}
