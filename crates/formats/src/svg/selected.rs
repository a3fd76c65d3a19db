//! Elements as selectors of style sheets ask for them.

use roxmltree::Node;
use simplecss::{AttributeOperator, Element, PseudoClass};

/// An element as selectors ask for it.
pub(super) struct Selected<'a, 'd>(pub(super) Node<'a, 'd>);

impl Element for Selected<'_, '_> {
    fn parent_element(&self) -> Option<Self> {
        self.0.parent_element().map(Selected)
    }
    fn prev_sibling_element(&self) -> Option<Self> {
        self.0.prev_sibling_element().map(Selected)
    }
    fn has_local_name(&self, name: &str) -> bool {
        self.0.tag_name().name() == name
    }
    fn attribute_matches(&self, name: &str, operator: AttributeOperator<'_>) -> bool {
        self.0.attribute(name).is_some_and(|v| operator.matches(v))
    }
    fn pseudo_class_matches(&self, class: PseudoClass<'_>) -> bool {
        class == PseudoClass::FirstChild && self.prev_sibling_element().is_none()
    }
}
