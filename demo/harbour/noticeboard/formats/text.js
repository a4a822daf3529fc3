import { template } from './template.cjs';

export const draw = (day, notices) =>
  template('day.txt', { day, notices: notices.map((one) => template('notice.txt', one)).join('') });
