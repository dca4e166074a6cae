import styled from 'styled-components';

/** A row of controls over a pane. */
export const Bar = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: end;
  margin-bottom: 12px;
`;
