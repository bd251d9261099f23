.PHONY: help demo start test lint bench accuracy onsets voices attack races steady screenshots client

help: ## Show this list
	@grep -hE '^[a-z]+:.*## ' $(MAKEFILE_LIST) | sed -E 's/^([a-z]+):.*## /  make \1\t/' | expand -t 24

demo: ## Install what is missing, build, and serve with the demo session
	@scripts/start.sh --demo

start: ## The same without the demo session
	@scripts/start.sh

test: ## Run every test there is
	@scripts/test.sh

lint: ## Form and habits: formatting, lints, types
	@scripts/build.sh
	@scripts/lint.sh

bench: ## Speed, as ratios in one run
	@scripts/bench.sh

accuracy: ## Accuracy on simulated sessions and paths, written to docs/accuracy*.md
	@cargo run --quiet --package marea-scene --bin accuracy -- docs/accuracy.md
	@cargo run --quiet --package marea-scene --bin sets -- 9401 9472 50 docs/accuracy-sets.md
	@cargo run --quiet --package marea-scene --bin latency -- docs/accuracy-latency.md
	@cargo run --quiet --package marea-scene --bin prints -- 9201 9230 40 docs/accuracy-prints.md
	@cargo run --quiet --package marea-scene --bin walkers -- 9851 9880 40 docs/accuracy-walkers.md
	@cargo run --quiet --package marea-scene --bin renders -- 9601 9642 40 docs/accuracy-notes.md
	@cargo run --quiet --package marea-scene --bin clocks -- 9701 9730 docs/accuracy-clocks.md
	@cargo run --quiet --package marea-scene --bin grids -- 9901 9930 docs/accuracy-tempo.md
	@cargo run --quiet --package marea-scene --bin hits -- 9601 9648 40 docs/accuracy-hits.md
	@cargo run --quiet --package marea-scene --bin tighten -- 9701 9748 40 docs/accuracy-tighten.md
	@cargo run --quiet --package marea-scene --bin layers -- 101 148 40 docs/accuracy-layers.md
	@cargo run --quiet --package marea-scene --bin takes -- 401 448 60 docs/accuracy-takes.md
	@cargo run --quiet --package marea-scene --bin doubles -- 801 830 40 docs/accuracy-doubles.md
	@cargo run --quiet --package marea-scene --bin lengths -- 901 930 docs/accuracy-lengths.md
	@cargo run --quiet --package marea-scene --bin pitches -- 1001 1030 40 docs/accuracy-pitch.md
	@cargo run --quiet --package marea-scene --bin retunes -- 1001 1030 20 docs/accuracy-retune.md
	@cargo run --quiet --package marea-scene --bin blemishes -- 549 596 50 docs/accuracy-blemishes.md

onsets: ## Strokes beside another detector's, written to docs/accuracy-onsets.md
	@scripts/onsets.sh

voices: ## Pitch and doubles beside a library's, written to docs/accuracy-voices.md
	@scripts/voices.sh

attack: ## Kills, full disks, mutated files and more, written to docs/robustness.md (half an hour)
	@scripts/attack.sh

races: ## Decisions against checks, 200 times
	@MAREA_RACES=200 cargo test --quiet --package marea-server --test server races

steady: ## All tests ten times beside busy loops (hours)
	@scripts/steady.sh

screenshots: ## Take the pictures in docs/screenshots from the demo
	@scripts/screenshots.sh

client: ## Generate the page's client from the API description
	@scripts/client.sh
