import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  effect,
  type ElementRef,
  inject,
  input,
  signal,
  viewChild,
} from '@angular/core';
import type { RunDetail } from '@versicle/contract';
import { Chart, Filler, LinearScale, LineController, LineElement, PointElement } from 'chart.js';
import { figure } from '../shared/words';
import { ratesOf } from './rates';

Chart.register(LineController, LineElement, PointElement, LinearScale, Filler);

@Component({
  selector: 'vs-rate-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="chart"><canvas #canvas role="img" [attr.aria-label]="words()"></canvas></div>`,
  styles: `
    .chart {
      height: 140px;
      position: relative;
    }
  `,
})
export class RateChartComponent {
  readonly samples = input.required<RunDetail['samples']>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private readonly chart = signal<Chart<'line', { x: number; y: number }[]> | null>(null);
  protected readonly words = signal($localize`Records a second`);

  constructor() {
    afterNextRender(() => this.chart.set(makeChart(this.canvas().nativeElement)));
    inject(DestroyRef).onDestroy(() => this.chart()?.destroy());
    effect(() => {
      const chart = this.chart();
      const points = ratesOf(this.samples());
      this.words.set(
        $localize`Records settled a second, at most ${figure(Math.round(Math.max(0, ...points.map((p) => p.y))))}`,
      );
      if (!chart) return;
      chart.data.datasets[0]!.data = points;
      chart.update('none');
    });
  }
}

function makeChart(canvas: HTMLCanvasElement): Chart<'line', { x: number; y: number }[]> {
  const style = getComputedStyle(document.body);
  const [act, wash, hair, dim] = ['--act', '--act-wash', '--hair', '--ink-3'].map((name) =>
    style.getPropertyValue(name).trim(),
  );
  const font = { family: style.getPropertyValue('--mono'), size: 11 };
  return new Chart(canvas, {
    type: 'line',
    data: {
      datasets: [
        {
          data: [],
          borderColor: act!,
          backgroundColor: wash!,
          borderWidth: 1.8,
          fill: true,
          pointRadius: 0,
          stepped: false,
          tension: 0,
        },
      ],
    },
    options: {
      animation: false,
      responsive: true,
      maintainAspectRatio: false,
      scales: {
        x: {
          type: 'linear',
          grid: { display: false },
          border: { color: hair! },
          ticks: { color: dim!, font, maxTicksLimit: 8, callback: (v) => `${Number(v)} s` },
        },
        y: {
          beginAtZero: true,
          grid: { color: hair! },
          border: { display: false },
          ticks: { color: dim!, font, maxTicksLimit: 4, callback: (v) => figure(Number(v)) },
        },
      },
    },
  });
}
