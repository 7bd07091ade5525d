/**
 * `tariffs.csv`: the tariff sheet of 2019 as far as it was kept; decimal commas, dates as day.month.year. K was given up, and
 * of Z nothing is left.
 */
export const TARIFFS_FILE = `code;name;price;ended
A;Monthly pass;12,90;
B;Yearly pass;99,00;
C;Company pass;11,50;
D;Day tickets;2,50;
K;Winter pass;19,00;31.03.2019
S;Student pass;8,90;
`;
