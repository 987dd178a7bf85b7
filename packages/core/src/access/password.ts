import { Refusal } from '../refusal/index.ts';

const minLength = 12;
const maxLength = 200;
const common = [
  'password',
  'passwort',
  'letmein',
  'welcome',
  'qwerty',
  'qwertz',
  'iloveyou',
  'administrator',
  'underbell',
];
const rows = ['abcdefghijklmnopqrstuvwxyz', '01234567890123456789', 'qwertyuiop', 'asdfghjkl', 'zxcvbnm'];

/** What of a password is guessed first: common words, rows of keys, and what everybody knows about the person. */
function guessableParts(known: readonly string[]): string[] {
  const parts = known.flatMap((one) => one.toLowerCase().split(/[^\p{L}\p{N}]+/u)).filter((one) => one.length >= 3);
  return [...common, ...parts];
}

function isRow(text: string): boolean {
  return rows.some((row) => row.includes(text) || [...row].reverse().join('').includes(text));
}

/**
 * Whether a new password may be taken: long rather than strange, and not made of what is guessed first.
 *
 * @param known - the person's name and address
 * @throws {Refusal} `PASSWORD_WEAK`, saying why
 */
export function checkNewPassword(password: string, known: readonly string[]): void {
  const weak = (message: string) =>
    new Refusal('PASSWORD_WEAK', message, {
      pointer: '/password',
      hint: 'take several words that nobody would put together',
    });
  if ([...password].length < minLength) throw weak(`a password has at least ${minLength} characters`);
  if (password.length > maxLength) throw weak(`a password has at most ${maxLength} characters`);
  // What is left once the guessable parts are taken out must still be worth guessing at.
  let rest = password.toLowerCase();
  for (const part of guessableParts(known)) rest = rest.replaceAll(part, '');
  if (isRow(rest)) rest = '';
  if ([...rest].length < 8) throw weak('too much of the password is easily guessed');
  if (new Set(rest).size < 5) throw weak('the password repeats the same few characters');
}
