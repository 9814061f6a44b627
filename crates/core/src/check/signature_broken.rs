//! `signature-broken`: a library was altered after it was signed.

use super::Case;
use crate::finding::{Finding, Severity};
use crate::image::SignatureStatus;

pub(crate) fn check(case: &Case<'_>) -> Option<Finding> {
    let file = &case.build.file;
    (file.signature == SignatureStatus::Broken).then(|| {
        let named = file.facts.signer.as_deref().unwrap_or("nobody");
        let sentence = format!(
            "{} was altered after it was signed: its content does not match the signature, which \
             names {named}.",
            case.label()
        );
        let remedy = "Get it again from where it comes from. Use it only if you know who altered \
                      it, and why.";
        Finding::new("signature-broken", Severity::Stop, sentence, remedy)
    })
}
