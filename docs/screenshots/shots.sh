# What each picture shows; make.sh reads this.
shot install press-house 'glassjar create
glassjar install press-schedule
glassjar run press-schedule'
shot contents press-house 'glassjar install --quiet co-op-day
glassjar install --quiet --yes "co-op-day<2" harvest-ledger
glassjar contents --sizes'
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
echo oops >> .jar/pyvenv.cfg
glassjar recreate --yes
glassjar recreate
glassjar label'
shot pythons press-house 'glassjar pythons
glassjar pythons pypy
glassjar pythons ">=3.12"'
shot help press-house 'glassjar help install'
