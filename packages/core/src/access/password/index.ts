import { Refusal } from '../../refusal/index.ts';

const minLength = 12;
const maxLength = 200;
/** Of the five grades of the estimate, 0 to 4: safely unguessable, however fast the guesses come. */
const minScore = 3;

let estimating: Promise<(password: string) => number> | undefined;

/** Grades passwords by how many guesses they stand. Its dictionaries take memory that only a new password needs. */
async function loadEstimate(): Promise<(password: string) => number> {
  const [{ ZxcvbnFactory }, common, english] = await Promise.all([
    import('@zxcvbn-ts/core'),
    import('@zxcvbn-ts/language-common'),
    import('@zxcvbn-ts/language-en'),
  ]);
  const estimate = new ZxcvbnFactory({
    dictionary: { ...common.dictionary, ...english.dictionary },
    graphs: common.adjacencyGraphs,
    translations: english.translations,
  });
  return (password) => estimate.check(password).score;
}

/** What everybody knows about a person and this service. */
function knownParts(known: readonly string[]): string[] {
  const parts = known.flatMap((one) => one.toLowerCase().split(/[^\p{L}\p{N}]+/u)).filter((one) => one.length >= 3);
  return ['under bell', 'underbell', ...parts].sort((a, b) => b.length - a.length);
}

/**
 * Whether a new password may be taken: long rather than strange, and not made of what is guessed first.
 *
 * @param known - the person's name and address
 * @throws {Refusal} `PASSWORD_WEAK`, saying why
 */
export async function checkNewPassword(password: string, known: readonly string[]): Promise<void> {
  const weak = (message: string) =>
    new Refusal('PASSWORD_WEAK', message, {
      pointer: '/password',
      hint: 'Use a phrase of unrelated words.',
    });
  if ([...password].length < minLength) throw weak(`A password has at least ${minLength} characters.`);
  if (password.length > maxLength) throw weak(`A password has at most ${maxLength} characters.`);
  estimating ??= loadEstimate();
  const estimate = await estimating;
  // What is known about the person costs no guess: the rest must be worth guessing at.
  const rest = knownParts(known).reduce((text, part) => text.replaceAll(part, ''), password.toLowerCase());
  if (estimate(rest) < minScore) throw weak('The password is easy to guess.');
}
