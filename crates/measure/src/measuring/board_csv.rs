//! The board as a table.

use crate::measuring::board::Board;

impl Board {
    /// All measured cells as a table: comma-separated values with a line of headings (RFC 4180).
    pub fn to_csv(&self) -> String {
        let quoted = |text: &str| match text.contains([',', '"', '\n', '\r']) {
            true => format!("\"{}\"", text.replace('"', "\"\"")),
            false => text.to_owned(),
        };
        let mut out = String::from(CSV_HEAD);
        for (p, r, c) in self.measured() {
            let (pose, pair) = (&self.poses[p], &self.pairs[r]);
            let counts = self.counts(p, r).word();
            let words = [&pose.group, &pose.name, &pair.outer, &pair.inner].map(|t| quoted(t)).join(",");
            let figures = [
                c.depth_mm(),
                c.deepest_mm,
                c.sunk_deepest_mm,
                c.edge_deepest_mm,
                c.contact_mm,
                c.seen_cm2(),
                c.crossing_mm,
                c.worst_strain,
            ];
            let figures = figures.map(|x| x.to_string()).join(",");
            let gap = c.least_clearance_mm.map_or(String::new(), |g| g.to_string());
            let flags = format!("{},{},{}", self.is_out(c), c.at_rest, c.measurable);
            out.push_str(&format!(
                "{words},{},{counts},{figures},{gap},{},{flags}\r\n",
                pose.time_s, c.buried
            ));
        }
        out
    }
}

/// What each column of the table is.
const CSV_HEAD: &str = "group,pose,outer,inner,time_s,counts,depth_mm,poking_mm,sunk_mm,between_vertices_mm,\
    contact_mm,area_cm2,crossing_mm,strain,least_gap_mm,hidden_vertices,out,at_rest,measurable\r\n";
