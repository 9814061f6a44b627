//! The web server as a program: `sample-serve DIR [--port PORT] [--fault FAULT,...] [--only TEXT] [--times NUMBER]`
//! serves a folder, with the faults of `server::Fault`.

use std::path::PathBuf;
use std::process::ExitCode;
use std::time::Duration;

use upright_spanner_sample::server::{Faults, Server};

fn main() -> ExitCode {
    match serve() {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("{error}");
            ExitCode::from(2)
        }
    }
}

fn serve() -> Result<(), String> {
    let usage =
        "usage: sample-serve DIR [--port PORT] [--fault FAULT,...] [--only TEXT] [--times NUMBER]";
    let mut words = std::env::args().skip(1);
    let folder = PathBuf::from(words.next().ok_or(usage)?);
    let (mut faults, mut port) = (Faults::default(), 0);
    while let Some(option) = words.next() {
        let value = words.next().ok_or(usage)?;
        match option.as_str() {
            "--port" => port = value.parse().map_err(|_| usage)?,
            "--fault" => {
                faults.faults = value.split(',').map(str::parse).collect::<Result<_, _>>()?;
            }
            "--only" => faults.only = value,
            "--times" => faults.times = Some(value.parse().map_err(|_| usage)?),
            _ => return Err(usage.to_owned()),
        }
    }
    if !folder.is_dir() {
        return Err(usage.to_owned());
    }
    let server = Server::start_on(&folder, port).map_err(|error| error.to_string())?;
    server.fail(faults);
    println!("{}", server.url());
    loop {
        std::thread::sleep(Duration::from_secs(1));
        for request in server.take_log() {
            println!("{} {} {}", request.status, request.path, request.sent);
        }
    }
}
