//! The `tenter` binary. Answers are JSON on standard output; progress and messages go to standard error; exit
//! 0 done, 1 failed, 2 bad input.

mod ask;
mod make;
mod package;
mod plan;
mod run;
mod volume;

use clap::{Parser, Subcommand};
use std::process::ExitCode;

#[derive(Parser)]
#[command(
    name = "tenter",
    version,
    about = "Designs skies and bakes them into environment maps.",
    max_term_width = 110
)]
struct Arguments {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serves the web application and its API.
    #[command(after_help = "Example: tenter serve --listen 127.0.0.1:8787")]
    Serve(run::Serve),
    /// Takes bakes from the queue; any number of these, on any machine that reaches the database and the
    /// files.
    #[command(after_help = "Example: TENTER_DATABASE=postgres://… tenter worker --files .local/files")]
    Worker(run::Worker),
    /// Writes all skies, bakes and their files into one archive, with a hash for each entry.
    #[command(after_help = "Example: tenter backup tenter-2026-11-30.tar")]
    Backup(run::Backup),
    /// Puts an archive back into an empty database and its store, after its hashes were checked.
    #[command(after_help = "Example: tenter restore tenter-2026-11-30.tar")]
    Restore(run::Restore),
    /// Prints the JSON Schema of a sky document.
    #[command(after_help = "Example: tenter schema > sky.schema.json")]
    Schema(ask::Schema),
    /// Lists the starters, or prints one as a sky document.
    #[command(after_help = "Example: tenter starters clear-noon > sky.json")]
    Starters(ask::Starters),
    /// Checks a document; names every problem with its path.
    #[command(after_help = "Example: tenter check sky.json")]
    Check(ask::Check),
    /// Where the sun and the moon stand.
    #[command(after_help = "Example: tenter sun --lat 60 --lon -5 --at 2026-06-21T15:00:00+01:00")]
    Sun(ask::Sun),
    /// The light meter's readouts of a sky.
    #[command(after_help = "Example: tenter light sky.json")]
    Light(ask::Light),
    /// Luminance and colour along one direction.
    #[command(after_help = "Example: tenter probe sky.json --azimuth 180 --elevation 30")]
    Probe(ask::Probe),
    /// What the camera sees: developed (png) or linear (exr).
    #[command(after_help = "Example: tenter picture sky.json --width 960 --height 540 --out sky.png")]
    Picture(make::PictureArguments),
    /// An environment map with its sidecar.
    #[command(after_help = "Example: tenter map sky.json --width 2048 --out sky.exr")]
    Map(make::MapArguments),
    /// Clouds as OpenVDB volumes.
    #[command(after_help = "Example: tenter volume sky.json --voxel 20 --extent 4 --out clouds.vdb")]
    Volume(volume::VolumeArguments),
    /// Transmittance of clouds toward a light over a square of level ground.
    #[command(after_help = "Example: tenter shadow sky.json --extent 20 --width 1024 --out shadow.exr")]
    Shadow(plan::ShadowArguments),
    /// The grade as a table of colours (.cube), to finish elsewhere; without the exposure.
    #[command(after_help = "Example: tenter lut sky.json --size 65 --out evening.cube")]
    Lut(make::LutArguments),
    /// Facts and checks of a file, baked or foreign: OpenEXR, Radiance HDR, KTX2, PNG or OpenVDB.
    #[command(after_help = "Example: tenter inspect sky.exr")]
    Inspect(ask::Inspect),
    /// Lights apart from their map: harmonics, an irradiance map and reflections by roughness.
    #[command(after_help = "Example: tenter light-kit sky.json --out kit")]
    LightKit(package::LightKitArguments),
    /// A folder with map, lights, camera and volumes tied together by a USD stage.
    #[command(after_help = "Example: tenter package sky.json --out sky --zip sky.zip --volumes")]
    Package(package::PackageArguments),
    /// Optical thickness and top altitude of clouds over a square, seen from above.
    #[command(after_help = "Example: tenter cover sky.json --extent 20 --width 1024 --out cover.exr")]
    Cover(plan::CoverArguments),
}

/// Why a command ended without doing what was asked.
#[derive(Debug)]
pub enum Failure {
    /// Exit 2: what was given can't be used; the message names it.
    Input(String),
    /// Exit 1.
    Failed(String),
}

pub type Outcome = Result<(), Failure>;

impl Failure {
    pub fn failed(e: impl std::fmt::Display) -> Failure {
        Failure::Failed(e.to_string())
    }
}

fn main() -> ExitCode {
    let outcome = match Arguments::parse().command {
        Command::Serve(a) => run::serve(a),
        Command::Worker(a) => run::worker(a),
        Command::Backup(a) => run::backup(a),
        Command::Restore(a) => run::restore(a),
        Command::Schema(a) => ask::schema(a),
        Command::Starters(a) => ask::starters(a),
        Command::Check(a) => ask::check(a),
        Command::Sun(a) => ask::sun(a),
        Command::Light(a) => ask::light(a),
        Command::Probe(a) => ask::probe(a),
        Command::Picture(a) => make::picture(a),
        Command::Map(a) => make::map(a),
        Command::Volume(a) => volume::volume(a),
        Command::Shadow(a) => plan::shadow(a),
        Command::Lut(a) => make::lut(a),
        Command::Inspect(a) => ask::inspect(a),
        Command::LightKit(a) => package::light_kit(a),
        Command::Package(a) => package::package(a),
        Command::Cover(a) => plan::cover(a),
    };
    match outcome {
        Ok(()) => ExitCode::SUCCESS,
        Err(Failure::Failed(message)) => {
            eprintln!("tenter: {message}");
            ExitCode::from(1)
        }
        Err(Failure::Input(message)) => {
            eprintln!("tenter: {message}");
            ExitCode::from(2)
        }
    }
}
