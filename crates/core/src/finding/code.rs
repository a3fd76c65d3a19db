//! Names of what is noticed. They are stable: reports, stored acceptances and programs go by them.

use serde::{Deserialize, Serialize};
use strum::{Display, EnumIter, EnumString, IntoStaticStr};

/// What was noticed; in text as `doubled-lines`.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, Display, EnumIter, EnumString, IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
#[allow(missing_docs)]
pub enum Code {
    Bereft,
    Branches,
    BridgeBurned,
    BrokenEntity,
    BurnedAstray,
    BurnedAway,
    BurnedTwice,
    CellsInError,
    ChartMissing,
    CoarsePicture,
    ColumnUnused,
    CoveredShapes,
    CrowdedLines,
    DamagedFile,
    Dashes,
    Dense,
    DoubledLines,
    EdgesNotOnce,
    ElsewhereGone,
    EncodingSupposed,
    EngraveOpen,
    EngraveThin,
    FarOff,
    FeedOver,
    FilledOpen,
    Gaps,
    GapsClosed,
    Gouge,
    GuestUnwanted,
    HeatSpread,
    HoleVanishes,
    Huge,
    Kinks,
    KitApart,
    KitTorn,
    LaidAgainst,
    LeftOn,
    LeftOut,
    LettersMissing,
    ListUntied,
    LiftedOff,
    LineAsArea,
    MachineGone,
    MarksInHole,
    MaterialGone,
    MaterialUnknown,
    NameAgain,
    NarrowNeck,
    NearColour,
    NearLayer,
    NearTwins,
    NestOverlap,
    NestStale,
    NickPierce,
    NicksDrawn,
    NoCopies,
    NoLead,
    NoParts,
    NoRoomForNumber,
    NoRunUp,
    NotBurned,
    NotesDiffer,
    NotesTaken,
    NotCutOut,
    NotHeld,
    NotNested,
    NothingDrawn,
    NumbersSmall,
    OffBed,
    OperationLost,
    OperationOdd,
    OutOfLine,
    OuterFirst,
    OutlinesOverlap,
    OutsideBlank,
    OutsideParts,
    OverlapsWelded,
    PaperBorder,
    PartTooLarge,
    PictureTooLarge,
    PictureWrong,
    PierceInCut,
    PierceNotKept,
    PixelSize,
    PlaceNotKept,
    PlanSays,
    Points,
    PowerOver,
    ProgramUnreadable,
    Remark,
    RowTooLong,
    ScaleSaid,
    ScanOfPlan,
    SelfCrossing,
    SharedEdges,
    SideView,
    SheetGone,
    SheetOverBed,
    SheetTaken,
    ShortRunUp,
    Skipped,
    Slits,
    Slots,
    SmallHoles,
    Specks,
    TableUnmatched,
    ThinWeb,
    Tiny,
    TipsUnderWay,
    TooLarge,
    TraceNoise,
    Traced,
    TravelOver,
    TwoStyles,
    UnitsUnsaid,
    Unplaced,
    Unproved,
    UnsafeStart,
    UnseenOutlines,
    WrongAir,
    WrongFeed,
    WrongHeight,
    WrongPower,
    WrongStay,
    WrongTool,
    WrongWait,
    WrongWay,
    WrongWord,
    ZeroLength,
}

impl Code {
    /// As it stands in reports: `doubled-lines`.
    pub fn as_str(self) -> &'static str {
        self.into()
    }
}

/// A code is looked for by its text where it was stored as text, and in tests.
impl PartialEq<&str> for Code {
    fn eq(&self, text: &&str) -> bool {
        self.as_str() == *text
    }
}

impl PartialEq<str> for Code {
    fn eq(&self, text: &str) -> bool {
        self.as_str() == text
    }
}
