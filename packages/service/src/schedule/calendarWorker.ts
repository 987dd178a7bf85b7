import { parentPort, workerData } from 'node:worker_threads';
import { answerOf } from '../platform/workerThread.ts';
import { readHolidays } from './calendarFile.ts';

/** A calendar file that somebody sent; its rules may have no end, or never come true. */
const { text, thisYear } = workerData as { readonly text: string; readonly thisYear: number };

parentPort!.postMessage(await answerOf(() => Promise.resolve(readHolidays(text, thisYear))));
