declare const it: any;
export default it;
export const Idiomorph: any;
