import { SearchField, Table, ToggleButton, ToggleButtonGroup } from 'react-aria-components';
import { NavLink } from 'react-router';
import styled, { css } from 'styled-components';
import { color, font } from '../style.js';

export const Head = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 16px 24px;
  align-items: end;
  margin-bottom: 24px;
  h1 {
    flex: 1 0 100%;
  }
  position: relative;
  /* What saves the table is in the corner, out of the way of what chooses. */
  > [data-save] {
    position: absolute;
    inset: 6px 0 auto auto;
  }
  &:has(> [data-save]) h1 {
    padding-right: 130px;
  }
`;

export const Search = styled(SearchField)`
  display: grid;
  gap: 4px;
  flex: 1 1 260px;
  max-width: 420px;
  label {
    font-size: 14px;
    color: ${color.soft};
  }
  input {
    font: 16px/24px ${font.sans};
    padding: 6px 12px;
    border: 1px solid ${color.soft};
    border-radius: 6px;
    background: ${color.raised};
    color: ${color.text};
  }
`;

export const Filters = styled(ToggleButtonGroup)`
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  /* One line that is moved sideways, so that the list begins on the first screen. */
  @media (max-width: 899px) {
    flex-wrap: nowrap;
    overflow-x: auto;
    max-width: 100%;
    padding-bottom: 4px;
    > * {
      flex: none;
    }
  }
`;

export const Filter = styled(ToggleButton)`
  font: 15px/20px ${font.sans};
  padding: 7px 12px;
  border-radius: 999px;
  border: 1px solid ${color.hair};
  background: transparent;
  color: ${color.text};
  cursor: pointer;
  &[data-selected] {
    background: ${color.text};
    border-color: ${color.text};
    color: ${color.paper};
  }
`;

const sheet = css`
  width: 100%;
  border-collapse: collapse;
  th {
    text-align: left;
    font-weight: 600;
    font-size: 14px;
    color: ${color.soft};
    padding: 8px 16px 8px 0;
    border-bottom: 1px solid ${color.text};
  }
  td {
    overflow-wrap: anywhere;
    padding: 10px 16px 10px 0;
    border-bottom: 1px solid ${color.hair};
    vertical-align: baseline;
  }
  /* What can be pressed is never broken within a word. */
  td button {
    overflow-wrap: normal;
    white-space: nowrap;
  }
  @media (min-width: 900px) {
    td:nth-child(1),
    td:nth-child(2) {
      white-space: nowrap;
      max-width: 28vw;
      overflow: hidden;
      text-overflow: ellipsis;
    }
  }
  tr[data-href] {
    cursor: pointer;
  }
  tbody tr[data-hovered],
  tbody tr[data-focus-visible] {
    background: ${color.wash};
  }
  tr[data-focus-visible] {
    outline: 2px solid ${color.accent};
    outline-offset: -2px;
  }
  @media (max-width: 899px) {
    thead {
      display: block;
      position: absolute;
      left: 0;
      max-width: 100%;
      overflow: hidden;
      clip-path: inset(50%);
    }
    tr,
    td {
      display: block;
    }
    tbody tr {
      padding: 12px 0;
      border-bottom: 1px solid ${color.hair};
    }
    td {
      border: 0;
      padding: 1px 0;
    }
    /* A number without its column has no meaning. */
    td[data-name]::before {
      content: attr(data-name) ': ';
      color: ${color.soft};
    }
  }
`;

/** Rows that lead to a page each. */
export const Sheet = styled(Table)`
  ${sheet}
`;

/** Rows with buttons in them: what can be pressed is reached with Tab. */
export const Plain = styled.table`
  ${sheet}
  tbody th {
    overflow-wrap: anywhere;
  }
  tbody th {
    font: inherit;
    color: inherit;
    padding: 10px 16px 10px 0;
    border-bottom: 1px solid ${color.hair};
    vertical-align: baseline;
  }
  @media (min-width: 900px) {
    tbody th[data-whole],
    td[data-whole] {
      white-space: nowrap;
      max-width: 28vw;
      overflow: hidden;
      text-overflow: ellipsis;
    }
  }
  @media (max-width: 899px) {
    tbody th {
      display: block;
      border: 0;
      padding: 1px 0;
    }
  }
`;

export const Tabs = styled.nav`
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
  margin-bottom: 20px;
  border-bottom: 1px solid ${color.hair};
  a {
    padding: 6px 0;
    color: ${color.soft};
    text-decoration: none;
  }
  a:hover {
    color: ${color.text};
  }
  a[aria-current='page'] {
    color: ${color.accent};
    font-weight: 650;
    box-shadow: inset 0 -2px 0 ${color.accent};
  }
  @media (max-width: 899px) {
    flex-wrap: nowrap;
    overflow-x: auto;
    > a {
      flex: none;
    }
  }
`;

/** The pages of the step Send. */
export function SendTabs() {
  return (
    <Tabs aria-label="Send">
      <NavLink to="/send" end>
        Queue
      </NavLink>
      <NavLink to="/send/compose">Compose</NavLink>
      <NavLink to="/send/signals">Signals</NavLink>
      <NavLink to="/send/schedules">Schedules</NavLink>
      <NavLink to="/send/bulk-sends">Bulk sends</NavLink>
    </Tabs>
  );
}

/** The pages of the step Track. */
export function TrackTabs() {
  return (
    <Tabs aria-label="Track">
      <NavLink to="/track" end>
        Messages
      </NavLink>
      <NavLink to="/track/inbound">Inbound</NavLink>
      <NavLink to="/track/returns">Returns</NavLink>
      <NavLink to="/track/suppressions">Suppressions</NavLink>
      <NavLink to="/track/figures">Figures</NavLink>
      <NavLink to="/track/subscriptions">Subscriptions</NavLink>
      <NavLink to="/track/live">Live</NavLink>
      <NavLink to="/track/alerts">Alerts</NavLink>
    </Tabs>
  );
}
