import { House } from './house.ts';

// Run once before all tests.
await House.makeTemplates();
