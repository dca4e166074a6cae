// Node reads the package as CommonJS, whose default export is all of it; browsers and bundlers read the same names as below.
import all from '../../node_modules/styled-components/dist/styled-components.browser.cjs.js';

const { createGlobalStyle, css, styled } = all;
export { createGlobalStyle, css };
export default styled;
