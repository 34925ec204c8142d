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

const EVENTS: Record<string, string> = {
  logged: "it is logged",
  replied: "the desk replies",
  resolved: "it is resolved",
  cancelled: "it is cancelled",
  "request refused": "the request is rejected",
  "request approved": "the request is approved",
  "asked back": "an approver asks a question",
  "handed over": "it is handed over",
  yours: "it is assigned to them",
  "taken over": "somebody else takes it",
  "requester wrote": "the requester writes",
  reopened: "it is reopened",
  "priority changed": "its priority changes",
  "date reached": "the date waited for has come",
  late: "it is overdue",
  followed: "there is news on what they follow",
  "major suggested": "it is suggested as a major incident",
  "task given": "a task is assigned",
  "task done": "a task is done",
  "part ended": "a part of it is finished",
  "approval asked": "an approval is asked for",
  "approval decided": "an approval is decided",
  "outside changed": "it changes in the other system",
  merged: "it is merged",
  "problem linked": "it is linked to a problem",
  "major declared": "a major incident is declared",
  "major stood down": "a major incident is stood down",
  "update due": "an update is due soon",
  "update late": "an update is late",
  "asked in": "they are asked into a room",
  survey: "how it went is asked",
};

/** When a notification is sent, in words. */
export function eventWords(event: string): string {
  return EVENTS[event] ?? event;
}
