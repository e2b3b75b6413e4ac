// What the page takes of its two libraries.
export { axisBottom, axisLeft, line, scaleLinear, select } from "d3";
export * as three from "./three.js";
