//! The server is killed in the middle of work, and started again: every answered step is there.

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};

/// A push, as a form sends it.
const PUSH: &str = "step={\"do\":\"push_out\",\"pieces\":[],\"chosen\":\"everything\",\
                    \"options\":{\"margin_mm\":1,\"limit_mm\":20}}";

struct Server {
    process: Child,
    port: u16,
}

impl Drop for Server {
    fn drop(&mut self) {
        self.kill();
    }
}

impl Server {
    fn start(folder: &Path) -> Self {
        let port = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
        let mut process = Command::new(env!("CARGO_BIN_EXE_tin-cloak"))
            .args(["serve", "--port", &port.to_string(), "--data", folder.to_str().unwrap()])
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let lines = BufReader::new(process.stdout.take().unwrap());
        assert!(lines.lines().map_while(Result::ok).any(|l| l.contains("is ready")));
        Self { process, port }
    }

    /// SIGKILL: nothing gets a chance to tidy up.
    fn kill(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }

    /// Status and body of a request.
    fn ask(&self, method: &str, path: &str, kind: &str, body: &[u8]) -> (u16, String) {
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).unwrap();
        let head = format!(
            "{method} {path} HTTP/1.1\r\nHost: 127.0.0.1:{}\r\nConnection: close\r\nContent-Type: \
             {kind}\r\nContent-Length: {}\r\n\r\n",
            self.port,
            body.len()
        );
        stream.write_all(head.as_bytes()).unwrap();
        stream.write_all(body).unwrap();
        let mut answer = Vec::new();
        stream.read_to_end(&mut answer).unwrap();
        let text = String::from_utf8_lossy(&answer).into_owned();
        (text[9..12].parse().unwrap(), text)
    }

    fn upload(&self, name: &str) {
        let path = format!("{}/../../testdata/open-human/{name}", env!("CARGO_MANIFEST_DIR"));
        let mut body =
            format!("--edge\r\nContent-Disposition: form-data; name=\"files\"; filename=\"{name}\"\r\n\r\n")
                .into_bytes();
        body.extend(std::fs::read(path).unwrap());
        body.extend(b"\r\n--edge--\r\n");
        let (status, text) = self.ask("POST", "/assets", "multipart/form-data; boundary=edge", &body);
        assert_eq!(status, 204, "{text}");
    }

    fn form(&self, path: &str, body: &str) -> (u16, String) {
        self.ask("POST", path, "application/x-www-form-urlencoded", body.as_bytes())
    }

    /// Waits for the job named in an answer; its last event.
    fn finish(&self, answer: &str) -> String {
        let number = answer.split("\"job\":").nth(1).unwrap();
        let number: String = number.chars().take_while(char::is_ascii_digit).collect();
        self.ask("GET", &format!("/jobs/{number}/events"), "text/plain", b"").1
    }
}

#[test]
fn every_answered_step_survives_a_kill() {
    let folder = tempfile::tempdir().unwrap();
    let mut server = Server::start(folder.path());
    server.upload("body.glb");
    server.upload("bodysuit.glb");
    assert_eq!(server.form("/fittings", "name=Storm&body=1").0, 303);
    let added = server.form("/fitting/1/add", "asset=2&layer=1&kind=soft").1;
    assert!(server.finish(&added).contains("\"state\":\"done\""));
    let bound = server.form("/fitting/1/bind", "missing=false").1;
    assert!(server.finish(&bound).contains("\"state\":\"done\""));

    // Three times in the middle of the next step, at different moments.
    for wait in [0, 150, 600] {
        assert_eq!(server.form("/fitting/1/step", PUSH).0, 204);
        std::thread::sleep(std::time::Duration::from_millis(wait));
        server.kill();
        server = Server::start(folder.path());
        let (status, page) = server.ask("GET", "/fitting/1", "text/plain", b"");
        assert_eq!(status, 200);
        assert!(page.contains("Bind bodysuit"), "the answered steps are there");
        assert!(page.contains("class=\"cell"), "and the measured board");
    }
    // And it can go on from there.
    let pushed = server.form("/fitting/1/step", PUSH).1;
    assert!(server.finish(&pushed).contains("\"state\":\"done\""));
}
