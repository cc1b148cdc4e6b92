//! A new level.

use mayfly_session::template::*;
use proptest::prelude::*;

#[test]
fn a_new_level_has_nothing_wrong() {
    let checked = mayfly_lang::check::check("pond.may", &level("old-pond", false));
    assert_eq!(checked.errors(), 0, "{:?}", checked.diagnostics);
    assert_eq!(checked.level.expect("it loads").title, "Old Pond");
}

proptest! {
    #[test]
    fn any_name_can_be_that_of_a_level(name in "\\PC{0,12}", empty in any::<bool>()) {
        let checked = mayfly_lang::check::check("t.may", &level(&name, empty));
        prop_assert_eq!(checked.errors(), 0, "{:?}", checked.diagnostics);
    }
}
