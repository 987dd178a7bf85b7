/** How the members of a channel differ from what was known of them; names as they are shown in the chat. */
export interface MemberDifference {
  readonly joined: readonly { readonly user: string; readonly name: string | null }[];
  readonly renamed: readonly { readonly user: string; readonly name: string | null }[];
  readonly left: readonly string[];
}

type Names = ReadonlyMap<string, string | null>;

/** What has to change so that the known members are those that were found. */
export function compareMembers(known: Names, found: Names): MemberDifference {
  const joined: { user: string; name: string | null }[] = [];
  const renamed: { user: string; name: string | null }[] = [];
  for (const [user, name] of found) {
    if (!known.has(user)) joined.push({ user, name });
    else if (known.get(user) !== name) renamed.push({ user, name });
  }
  return { joined, renamed, left: [...known.keys()].filter((user) => !found.has(user)) };
}

export const isSame = ({ joined, renamed, left }: MemberDifference): boolean =>
  joined.length + renamed.length + left.length === 0;
