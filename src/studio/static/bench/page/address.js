// Addresses of channels: what one is of, and the name of its quantity.

/**
 * @param {string} address
 * @returns {[string, string]}
 */
export function parted(address) {
  const dot = address.indexOf('.');
  return [address.slice(0, dot), address.slice(dot + 1)];
}
