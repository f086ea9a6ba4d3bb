@echo off
rem Makes this prompt use the jar that holds this file:
rem     .jar\@SCRIPTS@\activate
rem and back again: deactivate

if defined _GLASSJAR_PATH call :back
if /i "%~1"=="back" exit /b 0
for %%d in ("%~dp0..") do set "VIRTUAL_ENV=%%~fd"
set "VIRTUAL_ENV_PROMPT="
for /f "usebackq tokens=1,* delims==" %%a in ("%VIRTUAL_ENV%\pyvenv.cfg") do if "%%a"=="prompt " for /f "tokens=*" %%p in ("%%b") do set "VIRTUAL_ENV_PROMPT=%%p"
set "_GLASSJAR_PATH=%PATH%"
set "PATH=%VIRTUAL_ENV%\@SCRIPTS@;%PATH%"
if defined PYTHONHOME set "_GLASSJAR_HOME=%PYTHONHOME%"
set "PYTHONHOME="
if not defined PROMPT set "PROMPT=$P$G"
set "_GLASSJAR_PROMPT=%PROMPT%"
set "PROMPT=<%VIRTUAL_ENV_PROMPT%> %PROMPT%"
doskey deactivate="%~f0" back 2>nul
exit /b 0

:back
set "PATH=%_GLASSJAR_PATH%"
set "PROMPT=%_GLASSJAR_PROMPT%"
if defined _GLASSJAR_HOME set "PYTHONHOME=%_GLASSJAR_HOME%"
set "_GLASSJAR_PATH="
set "_GLASSJAR_HOME="
set "_GLASSJAR_PROMPT="
set "VIRTUAL_ENV="
set "VIRTUAL_ENV_PROMPT="
doskey deactivate= 2>nul
exit /b 0
