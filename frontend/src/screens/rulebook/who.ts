/** Who stands for somebody else on each ticket, as people call them. */

const WORDS: Record<string, string> = {
  holder: "the assignee",
  requester: "the requester",
  team: "the team",
  "team lead": "the team lead",
  followers: "the followers",
  "service owner": "the service owner",
  "requester's manager": "the requester’s manager",
  administrators: "the administrators",
  approver: "the approver",
};

export function whoWords(who: string): string {
  return WORDS[who] ?? who;
}

export function whoOptions(names: string[]): { key: string; name: string }[] {
  return names.map((key) => ({ key, name: whoWords(key) }));
}
