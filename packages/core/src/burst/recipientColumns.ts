import { readFilter, type FilterNode } from '../filter/index.ts';

export const isCallOf = (node: FilterNode, source: string): node is FilterNode & { kind: 'call' } =>
  node.kind === 'call' && node.name.toLowerCase() === source;

export const childrenOf = (node: FilterNode): readonly FilterNode[] => {
  if (node.kind === 'operation' || node.kind === 'call') return node.args;
  if (node.kind === 'array') return node.items;
  return node.kind === 'interval' ? [node.from, node.to].filter((one) => one !== undefined) : [];
};

/** The list columns that `recipient('…')` names in a CQL2 text, each once. @throws {Refusal} for a text that is none */
export function recipientColumns(text: string): string[] {
  const names = new Set<string>();
  const visit = (node: FilterNode): void => {
    const [arg] = isCallOf(node, 'recipient') ? node.args : [];
    if (arg?.kind === 'text') names.add(arg.value);
    childrenOf(node).forEach(visit);
  };
  visit(readFilter(text));
  return [...names];
}
