// ARIA, 10: attributes that elements reflect.

export const ARIA = ['role', ...('Atomic AutoComplete BrailleLabel BrailleRoleDescription Busy Checked ColCount ColIndex ColIndexText ColSpan Current Description Disabled Expanded HasPopup Hidden Invalid KeyShortcuts Label Level Live Modal MultiLine MultiSelectable Orientation Placeholder PosInSet Pressed ReadOnly Relevant Required RoleDescription RowCount RowIndex RowIndexText RowSpan Selected SetSize Sort ValueMax ValueMin ValueNow ValueText'.split(' ').map((n) => `aria${n}`))];
export const ariaName = (property) => (property === 'role' ? 'role' : `aria-${property.slice(4).toLowerCase()}`);
// Those that name other elements: one, or a list.
export const ARIA_ELEMENT = { ariaActiveDescendantElement: 'aria-activedescendant' };
export const ARIA_ELEMENTS = {
  ariaControlsElements: 'aria-controls', ariaDescribedByElements: 'aria-describedby', ariaDetailsElements: 'aria-details',
  ariaErrorMessageElements: 'aria-errormessage', ariaFlowToElements: 'aria-flowto', ariaLabelledByElements: 'aria-labelledby',
};
