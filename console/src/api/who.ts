const place = 'twinsieve-name';

/** The name under which decisions of this browser are kept, as long as nobody signs in. */
export const whoAmI = () => localStorage.getItem(place) ?? '';

export const nameMe = (name: string) => localStorage.setItem(place, name);
