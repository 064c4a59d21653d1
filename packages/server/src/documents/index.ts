export { drawChart } from './draw-chart.js';
export { documentEndings, writeDocument, type DocumentFormat } from './write-document.js';
