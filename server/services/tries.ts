/** Wrong passwords allowed within a quarter of an hour: of one address at one account, and of one address. */
export const TRIES = { minutes: 15, both: 5, address: 20 }
