export * from './chart-options.js';
export * from './compare-charts.js';
export * from './finding-chart.js';
export * from './lanes-chart.js';
export * from './answer-chart.js';
export * from './explore-chart.js';
