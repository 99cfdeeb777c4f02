import { BarController, BarElement, CategoryScale, Chart, LinearScale, Tooltip, type ChartOptions } from 'chart.js'
import { inkOf } from './theme.ts'
import { amount, monthShortYear } from './format.ts'

Chart.register(BarController, BarElement, CategoryScale, LinearScale, Tooltip)
Chart.defaults.font.family = "'Hanken Grotesk', sans-serif"
Chart.defaults.animation = false

/** Columns by month in the ink of the book; the last one, the month in hand, stands out. Here amounts become floats. */
export function monthColumns(history: { month: string; amount: string | null }[]): { data: { labels: string[]; datasets: { label: string; data: (number | null)[]; backgroundColor: string[]; barPercentage: number }[] }; options: ChartOptions<'bar'> } {
  const [accent, rod, soft, rule] = ['accent', 'rod', 'soft', 'rule'].map(inkOf) as [string, string, string, string]
  return {
    data: {
      labels: history.map(({ month }) => monthShortYear(month)),
      datasets: [{ label: 'charged', data: history.map(({ amount: value }) => (value === null ? null : Number(value))), backgroundColor: history.map((_, index) => (index === history.length - 1 ? accent : rod)), barPercentage: 0.7 }],
    },
    options: {
      responsive: true, maintainAspectRatio: false,
      plugins: { legend: { display: false }, tooltip: { callbacks: { label: ({ dataIndex }) => amount(history[dataIndex]?.amount) } } },
      scales: {
        x: { grid: { display: false }, ticks: { color: soft, maxRotation: 0, autoSkip: true, font: { size: 11 } }, border: { color: soft } },
        y: { beginAtZero: true, grace: '5%', grid: { color: rule }, ticks: { color: soft, maxTicksLimit: 4, font: { size: 11 } }, border: { display: false } },
      },
    },
  }
}
