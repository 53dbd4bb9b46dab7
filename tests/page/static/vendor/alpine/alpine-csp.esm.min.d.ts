// A library that ships with the page; only that it is there is checked.
declare const whole: any;
export default whole;
