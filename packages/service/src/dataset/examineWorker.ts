import { parentPort, workerData } from 'node:worker_threads';
import { answerOf } from '../platform/workerThread.ts';
import { examineFile, type ExamineTask } from './examine.ts';

parentPort!.postMessage(await answerOf(() => examineFile(workerData as ExamineTask)));
