import styled from 'styled-components';

/** Words that are read out and not shown. */
export const Unseen = styled.span`
  position: absolute;
  clip-path: inset(50%);
  width: 1px;
  height: 1px;
  overflow: hidden;
`;
