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
  homeserver: address.required().description('client API URL of the homeserver'),
  serverName: serverName.required().description('server name: the part of user IDs after the colon'),
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
    .description('servers of other organisations whose users are guests, with their URLs'),
  origins: Joi.array().items(webOrigin).max(50).default([]).description('allowed origins: those of the chat clients'),
});
