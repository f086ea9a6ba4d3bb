# What each picture shows; make.sh reads this.
shot install press-house 'glassjar create
glassjar install press-schedule
glassjar run press-schedule'
shot contents press-house 'glassjar install --quiet co-op-day
glassjar install --quiet --yes "co-op-day<2" harvest-ledger
glassjar contents --sizes
glassjar contents --tree
glassjar why orchard-core'
shot here press-house 'glassjar here
glassjar index list
glassjar label
glassjar uninstall brixmeter
glassjar uninstall --plan co-op-day'
quiet orchard-survey glassjar create
shot unsolved orchard-survey 'glassjar install brixmetre orchrad-map
glassjar install "press-schedule<2" "sugar-curve>=2"
glassjar install moon-almanac
glassjar install hedge-rows'
shot targets orchard-survey 'glassjar install --quiet frost-watch tree-survey
glassjar record
glassjar recreate --target windows-x86_64 --python 3.8
glassjar record --as list'
shot recreate press-house 'glassjar discard --yes .jar
glassjar recreate
rm .jar/bin/press-schedule
rm .jar/bin/activate
glassjar recreate --yes
glassjar recreate
glassjar label'
shot pythons press-house 'glassjar pythons ">=3.12"
glassjar pythons pack 3.11 --to ../pythons
glassjar index add pythons ../pythons --holds pythons
glassjar pythons fetch 3.11
glassjar pythons'
quiet press-house glassjar pythons drop 3.11 --yes
quiet press-house glassjar index drop pythons
shot help press-house 'glassjar help install'
shot outdated orchard-survey 'glassjar create --quiet old-press
glassjar --jar old-press install --quiet "brixmeter<2" "orchard-core<2" heritage-press perry-blend
glassjar --jar old-press outdated
glassjar --jar old-press upgrade --plan'
shot about press-house 'glassjar about harvest-ledger
glassjar search orchard
glassjar search presss --maturity stable'
shot diagnose press-house 'glassjar diagnose scionbook
glassjar diagnose Brixmeter
glassjar diagnose brixmeter
touch random.py; glassjar diagnose random; rm random.py'
shot life press-house 'glassjar install --quiet must-core
glassjar history
glassjar rewind --plan
glassjar clone .jar scratch --quiet
glassjar diff scratch
glassjar shelf'
shot check press-house 'echo oops >> $(ls .jar/lib/*/site-packages/brixmeter/__init__.py); rm .jar/bin/press-schedule
glassjar check
glassjar check --mend
glassjar index add faults sample: --holds advisories --quiet
glassjar advisories
glassjar licences'
mkdir -p "$work/projects/press-tools"
printf '[build-system]\nrequires = ["orchard-mill"]\nbuild-backend = "orchard_mill"\n[project]\nname = "press-tools"\nversion = "1.0"\n' >"$work/projects/press-tools/pyproject.toml"
shot building press-house 'glassjar install pomace-compost
glassjar install --editable ../press-tools --build press-tools
echo "WORD = 7" > ../press-tools/press_tools.py
glassjar run python -c "import press_tools; print(press_tools.WORD)"' y
quiet press-house glassjar uninstall pomace-compost press-tools
shot settings press-house 'glassjar settings'
shot editor press-house 'glassjar index list --probe
glassjar connect editor --plan
glassjar connect notebook --plan'
quiet press-house glassjar index drop faults
printf '#!/usr/bin/env -S glassjar run\n# /// script\n# dependencies = ["brixmeter>=2"]\n# ///\nimport brixmeter\nprint("reads with", brixmeter.__file__.split("/lib/")[0][-24:])\n' >"$work/projects/press-house/tally.py"
shot scripts press-house 'head -4 tally.py
glassjar run tally.py
glassjar install --into tally.py orchard-map --quiet
grep dependencies tally.py
glassjar record --of tally.py
glassjar run --plus frost-watch -- python -c "import frost_watch; print(frost_watch.__name__)"
glassjar run --under 3.11,pypy -- python -c "import sys; print(sys.version.split()[0])"
glassjar lend press-schedule --new --quiet
glassjar lend --list
glassjar shelf --holding "brixmeter<1"'
quiet press-house rm tally.py pylock.tally+py.toml
quiet press-house ssh-keygen -q -t ed25519 -N "" -f ../perry
quiet press-house sh -c 'echo "perry@orchard.example $(cat ../perry.pub)" >../signers'
quiet press-house sh -c 'git init -q -b main . && git add pyproject.toml pylock.toml && git -c user.name=perry -c user.email=perry@orchard.example commit -qm record'
quiet press-house glassjar install --quiet graft-notes
shot team press-house 'glassjar connect git --plan
glassjar diff git:main --as markdown | cut -c1-102
glassjar record --sign ../perry
glassjar recreate --signed-by ../signers'
quiet press-house rm -rf .git
report press-house
