// The notices that stand in the office's file.
import { readFileSync } from 'node:fs';

const all = JSON.parse(readFileSync(new URL('data/notices.json', import.meta.url), 'utf8'));

export const days = () => Object.keys(all);
export const noticesFor = (day) => all[day];
