/** Minor digits of ISO 4217 where they are not two (from memory). */
const MINOR_DIGITS = new Map<string, number>([
  ...['JPY', 'KRW', 'VND', 'CLP', 'ISK', 'PYG', 'UGX', 'RWF', 'XAF', 'XOF', 'XPF', 'BIF', 'DJF', 'GNF', 'KMF', 'VUV', 'UYI'].map((code) => [code, 0] as const),
  ...['BHD', 'IQD', 'JOD', 'KWD', 'LYD', 'OMR', 'TND'].map((code) => [code, 3] as const),
  ['CLF', 4],
  ['UYW', 4],
])

/** Decimals in which the currency is paid: 0 for JPY, 3 for KWD, 2 for most. */
export const minorDigits = (currency: string): number => MINOR_DIGITS.get(currency) ?? 2
