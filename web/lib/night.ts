/** Night is told to the server, too, so that a page comes dark and does not turn dark. */
export const NIGHT_COOKIE = 'holosoma-night'
