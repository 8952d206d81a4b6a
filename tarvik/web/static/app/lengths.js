// Lengths as sliders show them while they move; the server says them again once they rest.
const INCH_M = 0.0254;

/** A setting in the course's units: metres and hundredths, or feet and whole inches. */
export const shown = (metres, units, unit) => {
  if (unit === "degrees") return `${metres.toFixed(0)}°`;
  if (units === "metric") return `${metres.toFixed(2)} m`;
  const inches = Math.round(Math.abs(metres) / INCH_M);
  const sign = metres < 0 && inches ? "-" : "";
  const [feet, rest] = [Math.floor(inches / 12), inches % 12];
  if (feet && rest) return `${sign}${feet} ft ${rest} in`;
  return feet ? `${sign}${feet} ft` : `${sign}${rest} in`;
};
