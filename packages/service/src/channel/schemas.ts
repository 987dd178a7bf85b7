import Joi from 'joi';
import { isServerName } from '@underbell/core/channel';
import { webOrigin } from '../access/index.ts';

const address = Joi.string()
  .uri({ scheme: ['http', 'https'] })
  .max(500);
const serverName = Joi.string()
  .max(230)
  .custom((text: string, helpers) => (isServerName(text) ? text : helpers.error('any.invalid')));

export const chatBody = Joi.object({
  title: Joi.string().trim().min(1).max(200).required(),
  homeserver: address.required().description('where its server answers clients'),
  serverName: serverName.required().description('behind the colon of its people’s names'),
  addressDomain: Joi.string()
    .domain({ tlds: false })
    .lowercase()
    .allow(null)
    .default(null)
    .description(
      '`@x` of its server is whoever has the address x at this domain; null where its accounts are nobody’s here',
    ),
  guestServers: Joi.object()
    .pattern(serverName, address)
    .max(50)
    .default({})
    .description('servers of other organisations whose people come in as guests, and where each answers'),
  origins: Joi.array().items(webOrigin).max(50).default([]).description('of the pages in which people use it'),
});
