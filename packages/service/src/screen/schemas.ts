import Joi from 'joi';
import { readAs } from '@underbell/core/check';
import { fieldName } from '@underbell/core/dataset';
import {
  attributeTypes,
  screenStateWords,
  slotSchema,
  type PlaylistTarget,
  type ScreenValues,
  type Slot,
} from '@underbell/core/screen';
import { thing } from '../access/index.ts';
import { oauthForm } from '../token/index.ts';

const words = Joi.string().trim().min(1).max(200);
const attributeName = Joi.string().pattern(fieldName, 'lower-case letters, digits and underscores').max(63);
const values = readAs<ScreenValues>()(
  Joi.object().pattern(Joi.string().max(63), Joi.string().max(500)).description('screen attributes of the screen'),
);
const timeZone = Joi.string().max(60).description('IANA time zone of the screen');
const language = Joi.string().max(35).description('language (BCP 47)');

export const named = Joi.object({ name: thing.required() });

export const attributesBody = Joi.object({
  attributes: Joi.array()
    .items(
      Joi.object({
        name: attributeName.required(),
        label: words.required(),
        type: Joi.string()
          .valid(...attributeTypes)
          .required(),
      }),
    )
    .max(60)
    .unique('name')
    .required(),
});

export const groupBody = Joi.object({
  title: words.required(),
  worryMinutes: Joi.number()
    .integer()
    .min(1)
    .max(100_000)
    .default(1_440)
    .description('age in minutes from which data is marked as out of date'),
  leaseHours: Joi.number()
    .integer()
    .min(1)
    .max(24 * 90)
    .default(48)
    .description('hours offline after which stored content is deleted'),
  otherwise: Joi.string()
    .trim()
    .max(500)
    .allow('')
    .default('')
    .description('text that is shown when no playlist applies'),
});

export const programQuery = Joi.object({ at: Joi.string().isoDate().description('date and time; default: now') });
export const slotParams = Joi.object({ name: thing.required(), id: Joi.string().max(200).required() });

export const fleetQuery = Joi.object({
  group: thing,
  state: Joi.string().valid(...screenStateWords),
  find: Joi.string().trim().max(200).description('part of the name, title or attributes'),
  from: Joi.number().integer().min(0).max(1_000_000).default(0).description('number of screens to skip'),
  count: Joi.number().integer().min(0).max(1_000).default(200),
});

const screenWords = {
  title: words.required(),
  group: thing.required(),
  attributes: values.default({}),
  timeZone: timeZone.required(),
  language: language.required(),
};
export const screenBody = Joi.object(screenWords);
export const pairBody = Joi.object({ name: thing.required(), ...screenWords });
export const codeParams = Joi.object({ code: Joi.string().max(40).required() });
export const orderBody = Joi.object({ order: Joi.string().valid('reload', 'show name').required() });

export const playlistBody = Joi.object({
  definition: Joi.object().unknown(true).required().description('playlist definition, format underbell-playlist/1'),
  expected: Joi.number()
    .integer()
    .min(0)
    .description('version that was edited; a conflict is reported if it has changed'),
});

const target = readAs<PlaylistTarget>()(
  Joi.object({ kind: Joi.string().valid('screen', 'screen-group').required(), name: thing.required() }),
);
const targets = Joi.array().items(target).min(1).max(2_000).unique().required();
export const planBody = Joi.object({ targets });
export const publishBody = Joi.object({
  targets,
  note: Joi.string().trim().max(500).allow('').default(''),
  give: Joi.boolean().default(false).description('grant “view” on the content to the targets, if you can share it'),
  expected: Joi.number()
    .integer()
    .min(0)
    .description('newest version in the preview; a conflict is reported if it has changed'),
});
export const backBody = Joi.object({ revision: Joi.number().integer().min(1).required() });
export const withdrawBody = Joi.object({ target: target.required() });

export const interruptBody = Joi.object({
  slot: readAs<Slot>()(slotSchema).required(),
  until: Joi.string().isoDate().required().description('date and time'),
});
export const interruptionParams = Joi.object({ name: thing.required(), id: Joi.number().integer().min(1).required() });

const size = Joi.number().integer().min(1).max(100_000);
// A form has texts alone.
const pixels = Joi.string().pattern(/^[1-9]\d{0,4}$/, 'pixels');
export const deviceForm = oauthForm({
  client_id: Joi.string().max(60),
  scope: Joi.string().max(200),
  browser: Joi.string().max(200),
  width: pixels,
  height: pixels,
});

const text = Joi.string().max(500);
export const beatBody = Joi.object({
  slot: Joi.string().max(200),
  playlist: Joi.string().max(63),
  revision: Joi.number().integer().min(0),
  has: Joi.object().pattern(Joi.string().max(63), Joi.number().integer().min(0)).max(50),
  asOf: Joi.number().integer().allow(null),
  clockErrorMs: Joi.number().integer(),
  storedBytes: Joi.number().integer().min(0),
  browser: Joi.string().max(200),
  width: size,
  height: size,
  errors: Joi.number().integer().min(0),
  lastError: text,
  problems: Joi.array()
    .items(Joi.object({ what: text.required(), detail: text.allow('') }))
    .max(20),
});
