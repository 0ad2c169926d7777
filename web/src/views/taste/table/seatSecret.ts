const LETTERS = /[^a-z]/g;

const keyOf = (join: string, tasterId: number) => `vapocline.seat.${join}.${tasterId}`;

/** The secret of a taster's place as this browser knows it: what stands behind the # of the link
 * they opened is kept, so that the address that is left can be shown around. */
export function seatSecret(join: string, tasterId: number) {
  const inLink = plain(window.location.hash);
  if (inLink) {
    keepSeatSecret(join, tasterId, inLink);
    window.history.replaceState(window.history.state, "", window.location.pathname);
  }
  return localStorage.getItem(keyOf(join, tasterId)) ?? "";
}

export function keepSeatSecret(join: string, tasterId: number, secret: string) {
  localStorage.setItem(keyOf(join, tasterId), plain(secret));
}

/** A code as it was typed, in whatever case and groups. */
function plain(typed: string) {
  return typed.toLowerCase().replace(LETTERS, "");
}

/** A code in two groups, to be read and typed. */
export function inGroups(secret: string) {
  const middle = Math.ceil(secret.length / 2);
  return `${secret.slice(0, middle)} ${secret.slice(middle)}`;
}
