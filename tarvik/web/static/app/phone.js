// On a phone what is not the main thing of a screen is a tap away.

/** Whether the screen is a phone's. */
export const narrow = () => matchMedia("(max-width: 520px)").matches;

/** Shut what is to be shut on phones, but for what the address names. */
export const shutOnPhones = (root) => {
  if (!narrow()) return;
  const named = location.hash && document.getElementById(location.hash.slice(1));
  for (const part of root.querySelectorAll("details[data-phone-shut]"))
    part.open = Boolean(named && part.contains(named));
};
