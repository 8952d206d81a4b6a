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

const PER_M = { m: 1, cm: 0.01, mm: 0.001, ft: 0.3048, "'": 0.3048, in: INCH_M, '"': INCH_M };
const PART = /^\s*(\d+(?:[.,]\d+)?)\s*(mm|cm|m|ft|in|'|")?\s*/;

/** A typed length in metres, or null: "1.2", "120 cm", "4 ft 2 in". A bare number is `perUnit`. */
export const read = (text, units, perUnit) => {
  let rest = text.trim().toLowerCase();
  let total = 0;
  if (!rest) return null;
  while (rest) {
    const part = PART.exec(rest);
    if (!part) return null;
    const amount = Number(part[1].replace(",", "."));
    total += amount * (part[2] ? PER_M[part[2]] : perUnit);
    rest = rest.slice(part[0].length);
    if (rest && !part[2]) return null;
  }
  return total;
};
