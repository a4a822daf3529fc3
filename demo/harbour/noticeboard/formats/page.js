import { template } from './template.cjs';

const plain = (text) => text.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);

export const draw = (day, notices) =>
  template('day.html', {
    day: plain(day),
    notices: notices
      .map(({ time, berth, text }) => template('notice.html', { time, berth: plain(berth), text: plain(text) }))
      .join(''),
  });
