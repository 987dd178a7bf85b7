import { parentPort, workerData } from 'node:worker_threads';
import { answerOf } from '../platform/thread.ts';
import { examineFile, type ExamineTask } from './examine.ts';

parentPort!.postMessage(await answerOf(() => examineFile(workerData as ExamineTask)));
