import { useParams } from 'react-router';

/**
 * The name in the page's address. Names have no slash: where one stands, the router has taken apart a name that holds the characters %2F.
 */
export const useName = () => useParams().name?.replaceAll('/', '%2F');
